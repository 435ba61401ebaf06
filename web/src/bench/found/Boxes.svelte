<svelte:options namespace="svg" />

<script lang="ts">
  // Where the things that were found stand on the frame shown.
  import type { FoundHere } from './found.svelte';
  let { found }: { found: FoundHere } = $props();
</script>

{#each found.boxes as b (b.id)}
  <polygon
    points={b.points}
    fill="none"
    stroke="#101010"
    stroke-width={b.held ? 5 : 3}
    vector-effect="non-scaling-stroke"
    pointer-events="none"
  />
  <polygon
    points={b.points}
    fill="none"
    stroke="#f0cd7c"
    stroke-width={b.held ? 2.5 : 1}
    stroke-dasharray={b.held ? undefined : '2 4'}
    vector-effect="non-scaling-stroke"
    pointer-events="none"
    data-testid="found-box"
  />
{/each}
