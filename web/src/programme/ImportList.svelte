<script lang="ts">
  // A list is read first and shown: what would be new, what would change, what cannot stand.
  import { onMount } from 'svelte';
  import { api, ask, type ImportResult } from '../api/api';
  import { me } from '../shared/me';

  let { programme, file, onclose, done }: { programme: string; file: File; onclose: () => void; done: () => void } =
    $props();
  let dialog = $state<HTMLDialogElement>();
  let csv = '';
  let r = $state.raw<ImportResult>();
  let error = $state('');
  const send = (really: boolean) =>
    ask(
      api.POST('/api/programmes/{id}/import', {
        params: { path: { id: programme } },
        body: { csv, by: me.name, do: really },
      }),
    );
  onMount(async () => {
    dialog?.showModal();
    try {
      csv = await file.text();
      r = await send(false);
    } catch (e) {
      error = (e as Error).message;
    }
  });
  async function enter() {
    try {
      r = await send(true);
      if (r.done) {
        done();
        onclose();
      }
    } catch (e) {
      error = (e as Error).message;
    }
  }
  const words = { new: 'new', changed: 'changed', same: 'as it is' } as const;
</script>

<dialog bind:this={dialog} class="modal" {onclose} aria-labelledby="import-title">
  <div class="modal-box flex max-h-[80%] max-w-3xl flex-col gap-3 p-4" data-testid="import">
    <h2 id="import-title" class="text-lg font-semibold">Import {file.name}</h2>
    {#if error}<p class="text-error" role="alert">{error}</p>{/if}
    {#if r}
      <p>
        {r.new} new, {r.changed} changed, {r.same} as they are{#if r.wrong.length}; <span
            class="font-semibold text-error">{r.wrong.length} that cannot stand, so nothing is entered</span
          >{/if}.
      </p>
      {#if r.wrong.length}
        <ul class="max-h-40 overflow-auto border-l-4 border-error pl-3" data-testid="wrong">
          {#each r.wrong as w (w.line + w.why)}<li>Line {w.line}: {w.why}</li>{/each}
        </ul>
      {/if}
      <div class="min-h-0 overflow-auto">
        <table class="w-full text-left">
          <thead class="quiet"
            ><tr
              ><th class="w-12 font-normal">Line</th><th class="font-normal">Item</th><th class="font-normal">Kind</th
              ><th class="font-normal">Shots</th><th class="font-normal">Comes to</th></tr
            ></thead
          >
          <tbody>
            {#each r.rows.slice(0, 500) as x (x.line)}<tr class="border-t border-base-300"
                ><td class="tc">{x.line}</td><td>{x.name}</td><td class="quiet">{x.kind}</td><td
                  >{x.shots.join(', ') || 'in none yet'}</td
                ><td class={x.what === 'same' ? 'quiet' : ''}>{words[x.what]}</td></tr
              >{/each}
          </tbody>
        </table>
        {#if r.rows.length > 500}<p class="quiet">and {r.rows.length - 500} more</p>{/if}
      </div>
    {:else if !error}<p class="quiet">Reading it</p>{/if}
    <div class="flex justify-end gap-2">
      <button class="btn btn-sm" onclick={() => dialog?.close()}>Cancel</button>
      <button
        class="btn btn-primary btn-sm"
        disabled={!r || r.wrong.length > 0 || r.new + r.changed === 0}
        onclick={enter}>Enter the list</button
      >
    </div>
  </div>
</dialog>
