<script lang="ts">
  // A new item of the list, named where the list is.
  import Plus from '@lucide/svelte/icons/plus';
  import type { Item } from '../../api/api';
  import { kinds } from '../../shared/format';
  import type { Bench } from '../bench.svelte';

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
</script>

<div class="relative">
  <button
    id="add-item"
    class="btn justify-start btn-ghost px-1 btn-xs"
    title="Add an item (Insert)"
    onclick={() => (adding = true)}><Plus size={14} /> Add an item</button
  >
  {#if adding}
    <form
      class="absolute bottom-7 left-0 z-20 flex w-[188px] flex-col gap-1 border border-base-300 bg-base-200 p-2"
      onsubmit={add}
    >
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
  {/if}
</div>
