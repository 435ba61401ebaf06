<script lang="ts">
  // The guide: one job from an empty shot to a delivery, in five minutes. Each sentence says
  // what to do and is ticked when it is done.
  import X from '@lucide/svelte/icons/x';
  import type { Bench } from './bench.svelte';

  let { bench }: { bench: Bench } = $props();
  const cover = $derived(bench.selection.target);
  const doubted = $derived(cover ? bench.following.doubted(cover) : { lost: 0, weak: 0 });
  let concealed = $state(false);
  $effect(() => {
    if (cover && bench.steps.current === 'conceal') concealed = true;
  });
  const item = $derived(bench.selection.item?.name ?? 'what must be hidden');
  const steps = $derived([
    {
      says: `Go to a frame where ${item} is large and clear (arrow keys, or G), press B and drag a box over it.`,
      done: !!cover,
    },
    { says: 'Press V: the tracker carries the cover through the shot, forward and backward.', done: !!cover?.track },
    {
      says:
        doubted.lost + doubted.weak
          ? `Press N: it goes to where the track is unsure (${doubted.lost} lost, ${doubted.weak} weak frames). ` +
            'R puts it right there. What is hidden by something in front may stay lost.'
          : 'Press 0 for the contact sheet: no frame may show it. A click goes to the frame.',
      done: !!cover?.track && (bench.viewport.sheeted || doubted.lost + doubted.weak === 0),
    },
    { says: 'Press Alt+4 and choose how it is hidden; the card says what can still be made out.', done: concealed },
    {
      says: bench.checking.severe
        ? 'Ctrl+Down goes through what the check found, Shift+G mends it or leads to where it is mended.'
        : 'Press Ctrl+Enter: the check tries to read it in the pixels that would be delivered.',
      done: !!cover && bench.checking.current && !bench.checking.severe,
    },
    {
      says: 'Press Shift+D and deliver: what is written is read again and proved.',
      done: bench.deliveries.all.some((d) => d.state === 'done'),
    },
  ]);
  const next = $derived(steps.findIndex((s) => !s.done));
</script>

<section
  class="absolute bottom-3 left-3 z-10 flex w-80 flex-col gap-1 border border-base-300 bg-base-100/95 p-2.5 text-[13px]"
  aria-label="Guide"
  data-testid="guide"
>
  <div class="flex items-center justify-between">
    <h2 class="font-medium">{next < 0 ? 'Done: cleared, checked and delivered' : 'A first job, in five minutes'}</h2>
    <button
      class="btn btn-square btn-ghost btn-xs"
      aria-label="Close the guide (Alt+G)"
      onclick={() => (bench.viewport.guide = false)}><X size={14} /></button
    >
  </div>
  <ol class="flex flex-col gap-1">
    {#each steps as s, i (i)}
      <li class="flex gap-2 {i === next ? '' : 'quiet'}" aria-current={i === next ? 'step' : undefined}>
        <span class="tc w-4 shrink-0 {s.done ? 'text-success' : ''}">{s.done ? '✓' : i + 1}</span>
        <span class={i === next || s.done ? '' : 'truncate'}>{s.says}</span>
      </li>
    {/each}
  </ol>
</section>
