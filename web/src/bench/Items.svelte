<script lang="ts">
  import Eye from '@lucide/svelte/icons/eye';
  import EyeOff from '@lucide/svelte/icons/eye-off';
  import Focus from '@lucide/svelte/icons/focus';
  import Lock from '@lucide/svelte/icons/lock';
  import LockOpen from '@lucide/svelte/icons/lock-open';
  import Plus from '@lucide/svelte/icons/plus';
  import type { Bench } from './bench.svelte';
  import type { Item } from '../api/api';
  import { kinds } from '../shared/format';

  let { bench }: { bench: Bench } = $props();
  let adding = $state(false);
  let name = $state('');
  let kind = $state<Item['kind']>('plate');

  async function add(e: Event) {
    e.preventDefault();
    await bench.addItem(name, kind);
    adding = false;
    name = '';
  }
  const said = (id: string): string => {
    const c = bench.session.coverOf(id);
    if (!c) return 'no cover yet';
    const words = [
      c.off ? 'switched off' : `f ${c.span.first}–${c.span.last}`,
      c.locked && 'locked',
      c.unseen && 'outline hidden',
    ];
    return words.filter(Boolean).join(', ');
  };
  const only = $derived(bench.session.document?.covers.some((c) => c.unseen) ?? false);
</script>

<nav class="flex min-h-0 flex-col overflow-auto border-r border-base-300" aria-label="Items of this shot">
  <ul>
    {#each bench.shot.items as it (it.id)}
      {@const c = bench.session.coverOf(it.id)}
      {@const isSelected = bench.selection.itemId === it.id}
      <li class="border-l-4 {isSelected ? 'border-primary bg-base-200' : 'border-transparent'}">
        <button
          class="flex w-full flex-col px-2 py-1.5 text-left {isSelected ? '' : 'hover:bg-base-200'}"
          aria-current={isSelected}
          onclick={() => bench.selection.select(it.id)}
        >
          <span class="w-full truncate font-medium">{it.name}</span>
          <span class="quiet text-[12px]">{kinds[it.kind]}, {said(it.id)}</span>
        </button>
        {#if isSelected && c}
          <div class="flex gap-1 px-1 pb-1">
            <button
              class="btn btn-square btn-ghost btn-xs"
              aria-pressed={!!c.locked}
              aria-label={c.locked ? 'Unlock (U)' : 'Lock (U)'}
              title={c.locked ? 'Unlock (U)' : 'Lock (U)'}
              onclick={() => bench.selection.edit({ do: 'lock', on: !c.locked })}
            >
              {#if c.locked}<Lock size={14} class="text-primary" />{:else}<LockOpen size={14} />{/if}
            </button>
            <button
              class="btn btn-square btn-ghost btn-xs"
              aria-pressed={!!c.unseen}
              aria-label={c.unseen ? 'Show its outline (Shift+U)' : 'Hide its outline (Shift+U)'}
              title={c.unseen ? 'Show its outline (Shift+U)' : 'Hide its outline (Shift+U)'}
              onclick={() => bench.selection.edit({ do: 'unsee', on: !c.unseen })}
            >
              {#if c.unseen}<EyeOff size={14} class="text-primary" />{:else}<Eye size={14} />{/if}
            </button>
            {#if bench.session.document!.covers.length > 1}
              <button
                class="btn btn-square btn-ghost btn-xs"
                aria-pressed={only}
                aria-label={only ? 'All outlines (A)' : 'Only this outline (A)'}
                title={only ? 'All outlines (A)' : 'Only this outline (A)'}
                onclick={() => bench.selection.edit({ do: 'only', on: !only })}
              >
                <Focus size={14} class={only ? 'text-primary' : ''} />
              </button>
            {/if}
          </div>
        {/if}
      </li>
    {/each}
  </ul>
  {#if adding}
    <form class="flex flex-col gap-1 p-2" onsubmit={add}>
      <!-- svelte-ignore a11y_autofocus -->
      <input
        class="input input-xs"
        aria-label="Name of the item"
        placeholder="What must be hidden"
        bind:value={name}
        required
        maxlength="200"
        autofocus
        onkeydown={(e) => e.key === 'Escape' && (adding = false)}
      />
      <select class="select select-xs" aria-label="Kind" bind:value={kind}>
        {#each Object.entries(kinds) as [k, t] (k)}<option value={k}>{t}</option>{/each}
      </select>
      <div class="flex gap-1">
        <button class="btn btn-primary btn-xs">Add</button><button
          type="button"
          class="btn btn-xs"
          onclick={() => (adding = false)}>Cancel</button
        >
      </div>
    </form>
  {:else}
    <button id="add-item" class="btn m-1 justify-start btn-ghost btn-xs" onclick={() => (adding = true)}
      ><Plus size={14} /> Add an item</button
    >
  {/if}
</nav>
