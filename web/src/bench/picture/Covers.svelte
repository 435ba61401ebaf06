<svelte:options namespace="svg" />

<script lang="ts">
  // The covers' outlines: the selected one can be dragged, another is selected by a click.
  import type { Bench } from '../bench.svelte';
  import { bright } from './colours';
  import Line from './Line.svelte';
  import type { Drags } from './drags';
  import type { Pointer } from './pointer';

  interface Props {
    bench: Bench;
    px: number;
    free: boolean;
    drags: Drags;
    pointer: Pointer;
  }
  let { bench, px, free, drags, pointer }: Props = $props();
  const cover = $derived(bench.selection.cover);
</script>

{#each bench.selection.shapes as c (c.id)}
  {@const doc = bench.session.document!.covers.find((x) => x.id === c.id)!}
  {@const isSelected = c.id === cover?.id}
  {#if c.inside && !doc.unseen}
    <Line
      d={c.path}
      colour={isSelected ? bright : '#d6d6d6'}
      width={isSelected ? 1.5 : 1}
      dash={doc.off ? '2 5' : doc.locked ? '7 3' : doc.holdsOut ? '10 2 2 2' : undefined}
    />
    {#if isSelected}
      <path
        d={c.path}
        fill="transparent"
        stroke="transparent"
        stroke-width="10"
        vector-effect="non-scaling-stroke"
        style:cursor={free ? 'move' : 'inherit'}
        onpointerdown={(e) => drags.move(e)}
        ondblclick={(e) => drags.insertKnot(e, 8 * px)}
        role="presentation"
        data-testid="selected-cover"
        data-cover={c.id}
      />
    {:else if bench.toolbox.tool === 'move'}
      <path
        d={c.path}
        fill="transparent"
        role="presentation"
        onpointerdown={(e) =>
          !pointer.pans(e) &&
          e.button === 0 &&
          (doc.item || doc.holdsOut) &&
          (e.stopPropagation(),
          doc.holdsOut
            ? bench.selection.holdouts.some((h) => h.id === doc.id) && bench.holdouts.select(doc.id)
            : bench.selection.select(doc.item!))}
      />
    {/if}
  {/if}
{/each}
