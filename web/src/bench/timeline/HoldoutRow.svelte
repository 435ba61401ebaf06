<script lang="ts">
  // A holdout's row: grey stripes where it holds out, an edge only where it does not; how
  // much is found in front, frame by frame; the four frames of its crossing.
  import type { Bench } from '../bench.svelte';
  import type { Cover } from '../../api/api';
  import { crossing } from '../holdout/holdouts.svelte';
  import type { Scale } from './scale.svelte';

  let { bench, holdout, scale }: { bench: Bench; holdout: Cover; scale: Scale } = $props();
  const row = $derived(bench.session.rows.get(holdout.id));
  const taken = $derived(holdout.proposed ? holdout.proposed.accepted : [holdout.span]);
  const place = (first: number, last: number) => {
    const { left, width } = scale.stretch(first, last);
    return `left:${left}px;width:${width}px`;
  };
</script>

<div class="relative h-[22px] overflow-hidden border-b border-base-300" data-testid="holdout-row">
  <div
    class="absolute top-[5px] h-[11px] border border-dashed border-(--slat-off)"
    style={place(holdout.span.first, holdout.span.last)}
  ></div>
  {#if !holdout.off}
    {#each taken as s (s.first)}
      {@const [from, to] = [Math.max(s.first, holdout.span.first), Math.min(s.last, holdout.span.last)]}
      {#if to >= from}<div
          class="absolute top-[5px] h-[11px]"
          style="{place(
            from,
            to,
          )};background:repeating-linear-gradient(135deg,var(--held-out) 0 3px,var(--rule) 3px 6px)"
          data-testid="held-out"
        ></div>{/if}
    {/each}
  {/if}
  {#if row?.shares.length}
    <svg
      class="pointer-events-none absolute top-[5px]"
      style="left:{scale.left(row.begin)}px;width:{row.shares.length * scale.step}px;height:11px"
      viewBox="0 0 {row.shares.length} 1"
      preserveAspectRatio="none"
      data-testid="shares"
    >
      <path
        d={'M0 1' + row.shares.map((s) => `V${(1 - Math.min(Math.sqrt(s), 1)).toFixed(2)}h1`).join('') + 'V1Z'}
        fill="var(--pin-picked)"
        fill-opacity=".75"
      />
    </svg>
  {/if}
  {#each holdout.crossing ?? [] as f, i (i)}
    {#if f >= 0}<button
        class="absolute top-0 h-[22px] w-[11px] -translate-x-1/2 text-[10px] leading-none"
        style="left:{scale.x(f)}px"
        aria-label="{crossing[i]![0]}: frame {f}"
        onpointerdown={(e) => (e.stopPropagation(), bench.holdouts.select(holdout.id), bench.playhead.seek(f))}
        ><span class="mx-auto block h-full w-px bg-(--playhead)"></span><span class="absolute top-0 left-[7px]"
          >{i + 1}</span
        ></button
      >{/if}
  {/each}
</div>
