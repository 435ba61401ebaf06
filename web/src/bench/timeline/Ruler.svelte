<script lang="ts">
  // Timecode over the rows, at round distances.
  import { core } from '../../core/core';
  import type { Scale } from './scale.svelte';

  let { scale, rate }: { scale: Scale; rate: { num: number; den: number } } = $props();
  /** What a mark needs to be read, px. */
  const room = 84;
  const second = $derived(Math.round(rate.num / rate.den));
  const every = $derived.by(() => {
    const steps = [1, 5, ...[0.4, 1, 2, 5, 10, 30, 60, 120, 300, 600, 1800, 3600].map((s) => Math.round(s * second))];
    return steps.find((n) => n * scale.step >= room) ?? steps.at(-1)!;
  });
  const marks = $derived.by(() => {
    const out: number[] = [];
    const begin = Math.max(Math.floor(scale.first / every) * every, 0);
    for (let f = begin; f <= scale.first + scale.shown && f < scale.frames; f += every) out.push(f);
    return out;
  });
</script>

<div class="tc quiet relative h-[18px] overflow-hidden text-[11px] leading-[18px]" data-testid="ruler">
  {#each marks as f (f)}
    <span class="absolute h-full border-l border-base-300 pl-1" style="left:{scale.left(f)}px"
      >{core.timecode({ frame: f })}</span
    >
  {/each}
</div>
