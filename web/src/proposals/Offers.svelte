<script lang="ts">
  // What is proposed, by kind.
  import type { Proposals } from './proposals.svelte';
  let { c }: { c: Proposals } = $props();
  const rules: [string, string][] = [
    ['always', 'Always'],
    ['listed', 'If the list asks'],
    ['never', 'Never'],
  ];
</script>

<div class="dropdown dropdown-end">
  <button class="btn btn-sm" aria-haspopup="menu">What is offered</button>
  <div
    class="dropdown-content z-20 w-80 border border-base-300 bg-base-100 p-3"
    role="group"
    aria-label="What is offered"
  >
    <p class="quiet pb-2 text-[12px]">What is not offered is still found and kept, under “Not offered”.</p>
    {#each Object.entries(c.list?.titles ?? {}) as [k, title] (k)}
      {#if k !== 'mark'}
        <label class="flex items-center gap-2 py-0.5"
          ><span class="flex-1">{title}</span>
          <select
            class="select w-36 select-xs"
            aria-label="{title} is offered"
            value={c.list!.offers[k]}
            onchange={(e) => c.offer(k, e.currentTarget.value)}
          >
            {#each rules as [r, name] (r)}{#if k !== 'face' || r !== 'listed'}<option value={r}>{name}</option
                >{/if}{/each}
          </select></label
        >
      {/if}
    {/each}
  </div>
</div>
