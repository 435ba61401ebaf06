<svelte:options namespace="svg" />

<script lang="ts">
  import type { Bench } from '../bench.svelte';
  import { core } from '../../core/core';

  interface Props {
    bench: Bench;
  }
  let { bench }: Props = $props();
  const labels = $derived.by(() => {
    void bench.selection.shapes;
    return bench.session.document?.labels?.length ? core.labels({ frame: bench.playhead.frame }) : [];
  });
</script>

<!-- Labels, as review copies have them. -->
{#each labels as l (l)}
  {@const [cx, cy] = [(l.box.min.x + l.box.max.x) / 2, (l.box.min.y + l.box.max.y) / 2]}
  {@const [rx, ry] = [(l.box.max.x - l.box.min.x) * 0.6 + 4, (l.box.max.y - l.box.min.y) * 0.6 + 4]}
  {#if l.ring}<ellipse
      {cx}
      {cy}
      {rx}
      {ry}
      fill="none"
      stroke={l.colour}
      stroke-width={Math.max(l.size / 9, 2)}
      pointer-events="none"
    />{/if}
  {#if l.text}
    <text
      x={cx}
      y={Math.max((l.ring ? cy - ry - l.size / 4 : l.box.min.y) - l.size / 2, l.size)}
      text-anchor="middle"
      font-size={l.size}
      fill={l.colour}
      stroke="#141414"
      stroke-width={l.size / 6}
      paint-order="stroke"
      pointer-events="none"
      data-testid="label">{l.text}</text
    >
  {/if}
{/each}
