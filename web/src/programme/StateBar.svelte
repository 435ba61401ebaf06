<script lang="ts">
  // How many are in each state: a bar of stretches, told apart by form and colour, and
  // their counts. Where a state can be chosen, a click on it does.
  import { order, states, type StateName } from '../shared/states';

  interface Props {
    count: (s: StateName) => number;
    chosen?: string;
    onchoose?: (s: StateName) => void;
  }
  let { count, chosen, onchoose }: Props = $props();
  const there = $derived(order.filter((s) => count(s)));
</script>

<div class="flex flex-col gap-1" data-testid="states">
  <div class="flex h-2 w-full gap-px overflow-hidden" aria-hidden="true">
    {#each there as s (s)}<span style="flex:{count(s)};background:{states[s].fill}"></span>{/each}
  </div>
  <div class="flex flex-wrap gap-x-3 gap-y-1 text-[12px]">
    {#each there as s (s)}
      {#if onchoose}
        <button
          class="flex items-center gap-1 hover:underline {chosen === s ? 'font-semibold underline' : ''}"
          aria-pressed={chosen === s}
          onclick={() => onchoose(s)}
          ><span class={states[s].colour} aria-hidden="true">{states[s].mark}</span>{states[s].name}
          <span class="tc">{count(s)}</span></button
        >
      {:else}
        <span class="flex items-center gap-1"
          ><span class={states[s].colour} aria-hidden="true">{states[s].mark}</span>{states[s].name}
          <span class="tc">{count(s)}</span></span
        >
      {/if}
    {/each}
  </div>
</div>
