<script lang="ts">
  // The list of all changes of the shot; any of them can be gone back to.
  import { onMount } from 'svelte';
  import type { Bench } from './bench.svelte';

  let { bench }: { bench: Bench } = $props();
  let dialog = $state<HTMLDialogElement>();

  onMount(() => {
    const open = () => {
      bench.session.loadEdits().then(
        () => dialog?.showModal(),
        (e) => bench.notice.say(e),
      );
    };
    document.addEventListener('all-changes', open);
    return () => document.removeEventListener('all-changes', open);
  });
  async function go(state: number) {
    await bench.session.jump(state);
    await bench.session.loadEdits();
  }
  const when = (s: string) => new Date(s).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' });
</script>

<dialog bind:this={dialog} class="modal" aria-label="All changes">
  <div class="modal-box flex max-h-[80%] max-w-lg flex-col gap-2 p-4">
    <h2 class="font-semibold">All changes of this shot</h2>
    <p class="quiet">Going back keeps everything: it is a change itself and can be undone.</p>
    <ol class="overflow-auto border border-base-300" aria-label="Changes, the newest first">
      {#each bench.session.edits as e (e.state)}
        <li>
          <button
            class="flex w-full items-baseline gap-2 px-2 py-1 text-left {e.current
              ? 'bg-base-300'
              : 'hover:bg-base-200'}"
            aria-current={e.current}
            disabled={e.current}
            onclick={() => go(e.state)}
          >
            <span class="w-3">{e.current ? '▸' : ''}</span>
            <span class={e.undone ? 'quiet line-through' : ''}>{e.label}</span>
            <span class="quiet ml-auto text-[12px] whitespace-nowrap"
              >{e.current ? 'shown now' : e.undone ? 'undone' : ''}{#if e.state}&ensp;{e.author}, {when(
                  e.at,
                )}{/if}</span
            >
          </button>
        </li>
      {/each}
    </ol>
    {#if bench.session.hasEarlierEdits}<button
        class="btn self-start btn-xs"
        onclick={() => void bench.session.loadEarlierEdits().catch((e) => bench.notice.say(e))}
        >Show earlier changes</button
      >{/if}
    <form method="dialog"><button class="btn btn-sm">Close</button></form>
  </div>
  <form method="dialog" class="modal-backdrop"><button>Close</button></form>
</dialog>
