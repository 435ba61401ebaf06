<script lang="ts">
  import { onMount } from 'svelte';
  import type { Bench } from './bench.svelte';
  import { actions } from './actions';

  let { bench }: { bench: Bench } = $props();
  let dialog = $state<HTMLDialogElement>();
  let search = $state('');
  const found = $derived(
    actions.filter((a) => (a.name + ' ' + a.keys.join(' ')).toLowerCase().includes(search.toLowerCase())),
  );

  onMount(() => {
    const open = () => {
      search = '';
      dialog?.showModal();
    };
    document.addEventListener('all-actions', open);
    return () => document.removeEventListener('all-actions', open);
  });
  const words = (k: string) => k.replace('Arrow', '').replace(/\+/g, ' ');
</script>

<dialog bind:this={dialog} class="modal" aria-label="All actions and keys">
  <div class="modal-box flex max-h-[80%] max-w-md flex-col gap-2 p-4">
    <input
      class="input w-full input-sm"
      aria-label="Search the actions"
      placeholder="Search the actions"
      bind:value={search}
    />
    <ul class="overflow-auto">
      {#each found as a (a.name)}
        <li>
          <button
            disabled={!a.run}
            class="flex w-full items-center justify-between gap-3 px-2 py-1 text-left enabled:hover:bg-base-200"
            onclick={() => {
              dialog?.close();
              a.run?.(bench);
            }}
          >
            <span>{a.name}</span><span class="flex flex-wrap justify-end gap-1"
              >{#each a.keys as k (k)}<kbd class="kbd kbd-sm">{words(k)}</kbd>{/each}</span
            >
          </button>
        </li>
      {:else}
        <li class="quiet px-2 py-1">No action is called so.</li>
      {/each}
    </ul>
  </div>
  <form method="dialog" class="modal-backdrop"><button>Close</button></form>
</dialog>
