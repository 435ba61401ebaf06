<script lang="ts">
  // A track's row: where it was followed, and how well.
  import type { TrackRow } from '../../api/api';
  import type { Scale } from './scale.svelte';
  import { states, stretches } from './states';

  let { row, scale }: { row: TrackRow; scale: Scale } = $props();
  const place = (first: number, last: number, least = 0) => {
    const { left, width } = scale.stretch(first, last, least);
    return `left:${left}px;width:${width}px`;
  };
  const last = $derived(row.first + row.states.length - 1);
</script>

<div class="relative h-[22px] overflow-hidden border-b border-base-300" data-testid="track-row">
  {#if row.states}
    <div class="absolute top-[8px] h-[6px] bg-(--slat)" style={place(row.first, last)}></div>
    {#each stretches(row.states, row.first, row.first, last) as [c, from, to] (from)}
      {#if scale.shows(from, to)}<div
          class="absolute top-[8px] h-[6px]"
          style="{place(from, to, 2)};background:{states[c]!.fill}"
          title="{states[c]!.name}, f {from}–{to}"
        ></div>{/if}
    {/each}
  {/if}
</div>
