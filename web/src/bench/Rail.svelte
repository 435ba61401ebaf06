<script lang="ts">
  // The steps of the work at the card's edge: an open ring where nothing is done, half where
  // it is under way or not looked at, full where it is done, a notched one where something is
  // wrong; a word only where something is to do.
  import Droplets from '@lucide/svelte/icons/droplets';
  import Layers2 from '@lucide/svelte/icons/layers-2';
  import Route from '@lucide/svelte/icons/route';
  import ScanEye from '@lucide/svelte/icons/scan-eye';
  import VectorSquare from '@lucide/svelte/icons/vector-square';
  import type { Bench } from './bench.svelte';
  import type { Step } from './steps.svelte';

  let { bench }: { bench: Bench } = $props();
  type Form = 'open' | 'half' | 'full' | 'wrong';
  interface Mark {
    form: Form;
    word?: string;
  }
  const steps: [Step, string, typeof Route][] = [
    ['outline', 'Outline', VectorSquare],
    ['follow', 'Follow', Route],
    ['hold', 'Hold out', Layers2],
    ['conceal', 'Conceal', Droplets],
    ['check', 'Check', ScanEye],
  ];
  const says: Record<Form, string> = {
    open: 'not done',
    half: 'under way',
    full: 'done',
    wrong: 'something is wrong',
  };
  const mark =
    'flex min-h-[58px] flex-col items-center gap-0.5 border-b border-l-2 border-b-base-300 py-1.5 ' +
    'text-[12px] leading-tight';
  const cover = $derived(bench.selection.cover);
  const target = $derived(bench.selection.target);

  const follow = $derived.by<Mark>(() => {
    if (bench.following.running) return { form: 'half', word: 'tracking' };
    if (!cover) return { form: 'open' };
    if (cover.track) {
      const { lost, weak } = bench.following.doubted(cover);
      if (lost) return { form: 'wrong', word: `${lost} lost` };
      if (weak) return { form: 'half', word: `${weak} weak` };
    } else if (bench.keying.keys.length < 2 && bench.shot.last > 0) return { form: 'open' };
    return { form: bench.looked.unseen ? 'half' : 'full' };
  });
  const hold = $derived.by<Mark>(() => {
    if (bench.holdouts.running) return { form: 'half', word: 'looking' };
    const held = bench.selection.holdouts.filter((c) => !c.off);
    const waits = held.reduce((n, c) => n + (c.proposed ? bench.holdouts.waiting(c) : 0), 0);
    if (waits) return { form: 'half', word: `${waits} to accept` };
    return { form: held.length ? 'full' : 'open' };
  });
  const check = $derived.by<Mark>(() => {
    const found = bench.checking.open.filter(
      (f) => f.cover === target?.id || (cover && f.item === bench.selection.itemId),
    );
    const severe = found.filter((f) => f.severity === 'severe').length;
    if (severe) return { form: 'wrong', word: severe === 1 ? '1 finding' : `${severe} findings` };
    if (found.length) return { form: 'half', word: found.length === 1 ? '1 finding' : `${found.length} findings` };
    if (bench.checking.current) return { form: 'full', word: 'clean' };
    return { form: bench.checking.running ? 'half' : 'open' };
  });
  const marks = $derived<Record<Step, Mark>>({
    outline: cover ? { form: 'full' } : { form: 'open', word: 'draw it' },
    follow,
    hold,
    conceal: target?.off
      ? { form: 'wrong', word: 'off' }
      : { form: target?.treatments.some((t) => !t.off) ? 'full' : 'open' },
    check,
  });
</script>

<div
  class="col-start-3 row-start-2 flex w-[60px] flex-col border-l border-base-300"
  role="tablist"
  aria-label="Steps"
  aria-orientation="vertical"
>
  {#each steps as [step, name, Icon], i (step)}
    {@const { form, word } = marks[step]}
    {@const current = bench.steps.current === step}
    <button
      role="tab"
      aria-selected={current}
      title="{name} (Alt+{i + 1}): {word ?? says[form]}"
      class="{mark} {current ? 'border-l-primary bg-base-200 font-semibold' : 'border-l-transparent hover:bg-base-200'}"
      onclick={() => bench.steps.go(step)}
    >
      <span class="flex items-center gap-1">
        <Icon size={16} class={current ? 'text-primary' : ''} />
        <svg
          width="9"
          height="9"
          viewBox="0 0 10 10"
          aria-hidden="true"
          class={form === 'wrong' ? 'text-error' : form === 'full' ? 'text-success' : 'quiet'}
        >
          <circle
            cx="5"
            cy="5"
            r="4"
            fill={form === 'full' ? 'currentColor' : 'none'}
            stroke="currentColor"
            stroke-width="1.5"
          />
          {#if form === 'half'}<path d="M5 1a4 4 0 0 0 0 8Z" fill="currentColor" />{/if}
          {#if form === 'wrong'}<path d="M0 0h10L5 10Z" fill="currentColor" />{/if}
        </svg>
      </span>
      <span class="whitespace-nowrap">{name}</span>
      <span class="sr-only">, {says[form]}</span>
      {#if word}<span
          class="font-normal whitespace-nowrap {form === 'wrong' ? 'text-error' : 'quiet'}"
          data-testid="to-do">{word}</span
        >{/if}
    </button>
  {/each}
</div>
