<script lang="ts">
  // Where the playhead goes once a cover was placed by hand: an action less for every key.
  import type { Keying } from './keying.svelte';
  import type { Onward } from '../shared/remembered';

  let { keying }: { keying: Keying } = $props();
  const ways: [Onward, string][] = [
    [0, 'Stay on the frame'],
    ['halves', 'Go on by halves'],
    [5, 'Go on 5 frames'],
    [10, 'Go on 10 frames'],
    [25, 'Go on 25 frames'],
  ];
</script>

<label class="flex items-center gap-2"
  ><span class="quiet shrink-0">After placing</span>
  <select
    class="select min-w-0 flex-1 select-xs"
    aria-label="After placing"
    title="Where to go once the cover was drawn or moved on a frame"
    bind:value={keying.onward}
  >
    {#each ways as [to, name] (to)}<option value={to}>{name}</option>{/each}
  </select></label
>
