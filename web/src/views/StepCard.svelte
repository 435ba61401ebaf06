<script lang="ts">
  import type { Cover } from '../lib/api';
  import type { Bench, Step } from '../lib/bench.svelte';
  import CardCheck from './CardCheck.svelte';
  import CardConceal from './CardConceal.svelte';
  import CardFollow from './CardFollow.svelte';
  import CardHold from './CardHold.svelte';
  import CardOutline from './CardOutline.svelte';

  let { b }: { b: Bench } = $props();
  const cover = $derived(b.cover);
  const item = $derived(b.items.find((i) => i.id === b.item));
  const steps: [Step, string][] = [
    ['outline', 'Outline'],
    ['follow', 'Follow'],
    ['hold', 'Hold out'],
    ['conceal', 'Conceal'],
    ['check', 'Check'],
  ];
  const still = $derived(b.last === 0);
  const target = $derived(b.holds.target);
  const held = $derived(b.holds.all.filter((c) => !c.off));
  const found = $derived(b.checks.open.filter((f) => f.cover === target?.id || (cover && f.item === b.item)));
  const severe = $derived(found.filter((f) => f.severity === 'severe').length);
  const taken = (c: Cover, s: { first: number; last: number }) =>
    c.proposed!.accepted.some((a) => a.first <= s.first && s.last <= a.last);
  const done = $derived<Record<Step, string>>({
    outline: cover ? 'done' : 'missing',
    follow: b.follows.running
      ? 'tracking'
      : cover?.track
        ? b.follows.doubts(cover)
          ? 'weak'
          : b.unseen
            ? 'unseen'
            : 'done'
        : b.keys.length > 1 || (cover && still)
          ? cover && b.unseen
            ? 'unseen'
            : 'done'
          : 'missing',
    hold: b.holds.running
      ? 'looking'
      : held.some((c) => c.proposed && b.holds.stretches(c).some((s) => !taken(c, s)))
        ? 'unseen'
        : held.length
          ? `${held.length}`
          : 'none',
    conceal: target?.treatments.some((t) => !t.off) && !target.off ? 'done' : 'missing',
    check: severe
      ? `▼ ${severe}`
      : found.length
        ? `${found.length}`
        : b.checks.current
          ? 'clean'
          : b.checks.running
            ? 'running'
            : 'to do',
  });
</script>

<aside class="flex min-h-0 flex-col overflow-auto border-l border-base-300" aria-label="Step card">
  {#if !item}
    <p class="quiet p-3">
      Add what must be hidden to the list on the left: a plate, a sign, a number. Then draw its outline on the picture.
    </p>
  {:else}
    <div
      class="grid grid-cols-[auto_auto_auto_auto_auto] border-b border-base-300 text-[12px] tracking-[-0.02em] whitespace-nowrap"
      role="tablist"
      aria-label="Steps"
    >
      {#each steps as [k, name] (k)}
        <button
          role="tab"
          aria-selected={b.step === k}
          class="border-b-2 px-0 py-1.5 {b.step === k ? 'border-primary font-semibold' : 'quiet border-transparent'}"
          onclick={() => b.go(k)}
        >
          {name}
          <span
            class="block text-[12px] font-normal {done[k] === 'done' || done[k] === 'clean'
              ? 'text-success'
              : k === 'check' && severe
                ? 'font-semibold text-error'
                : 'quiet'}">{done[k]}</span
          >
        </button>
      {/each}
    </div>
    <div class="flex flex-col gap-2 p-2.5">
      {#if b.speed !== 0 && !b.steady}<p class="quiet text-[12px]">Playing. What is said here is of f {b.here}.</p>{/if}
      {#if cover?.locked}
        <p class="text-[12px] text-warning">{cover.name} is locked: nothing of it can be changed.</p>
        <button class="btn btn-xs" onclick={() => b.onCover({ do: 'lock', on: false })}>Unlock</button>
      {/if}
      {#if cover && b.held && !b.held.inside}
        <p class="text-[12px] text-warning">
          f {b.here} lies outside the span (f {cover.span.first}–{cover.span.last}): nothing is hidden here.
        </p>
      {/if}
      {#if b.step !== 'hold' && b.holds.drawn}
        <p class="text-[12px]">In hand: <b>{b.holds.drawn.name}</b>, which passes in front.</p>
      {/if}
      {#if b.step === 'check'}
        <CardCheck {b} />
      {:else if b.step === 'hold' && target}
        <CardHold {b} {item} />
      {:else if b.step === 'outline' || !cover || !b.held}
        <CardOutline {b} {item} />
      {:else if b.step === 'follow'}
        <CardFollow {b} />
      {:else}
        <CardConceal {b} {item} />
      {/if}
    </div>
  {/if}
</aside>
