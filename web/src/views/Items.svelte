<script lang="ts">
  import Plus from '@lucide/svelte/icons/plus';
  import type { Bench } from '../lib/bench.svelte';
  import type { Item } from '../lib/api';
  import { kinds } from '../lib/format';

  let { b }: { b: Bench } = $props();
  let adding = $state(false);
  let name = $state('');
  let kind = $state<Item['kind']>('plate');

  async function add(e: Event) {
    e.preventDefault();
    await b.addItem(name, kind);
    adding = false;
    name = '';
  }
  const said = (id: string): string => {
    const c = b.coverOf(id);
    if (!c) return 'no cover yet';
    return c.off ? 'switched off' : `f ${c.span.first}–${c.span.last}`;
  };
</script>

<nav class="border-base-300 flex min-h-0 flex-col overflow-auto border-r" aria-label="Items of this shot">
  <ul>
    {#each b.items as it (it.id)}
      <li>
        <button
          class="flex w-full flex-col border-l-4 px-2 py-1.5 text-left {b.item === it.id ? 'border-primary bg-base-200' : 'hover:bg-base-200 border-transparent'}"
          aria-current={b.item === it.id}
          onclick={() => (b.item = it.id)}
        >
          <span class="w-full truncate font-medium">{it.name}</span>
          <span class="quiet text-[12px]">{kinds[it.kind]}, {said(it.id)}</span>
        </button>
      </li>
    {/each}
  </ul>
  {#if adding}
    <form class="flex flex-col gap-1 p-2" onsubmit={add}>
      <!-- svelte-ignore a11y_autofocus -->
      <input class="input input-xs" aria-label="Name of the item" placeholder="What must be hidden" bind:value={name} required maxlength="200" autofocus />
      <select class="select select-xs" aria-label="Kind" bind:value={kind}>
        {#each Object.entries(kinds) as [k, t] (k)}<option value={k}>{t}</option>{/each}
      </select>
      <div class="flex gap-1"><button class="btn btn-primary btn-xs">Add</button><button type="button" class="btn btn-xs" onclick={() => (adding = false)}>Leave it</button></div>
    </form>
  {:else}
    <button class="btn btn-ghost btn-xs m-1 justify-start" onclick={() => (adding = true)}><Plus size={14} /> Add an item</button>
  {/if}
</nav>
