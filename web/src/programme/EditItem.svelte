<script lang="ts">
  import { onMount } from 'svelte';
  import { api, ask } from '../api/api';
  import { kinds } from '../shared/format';
  import type { Clearance, Row } from './list.svelte';

  let { c, row, onclose }: { c: Clearance; row?: Row; onclose: () => void } = $props();
  let dialog = $state<HTMLDialogElement>();
  let error = $state('');
  // svelte-ignore state_referenced_locally
  let f = $state(
    row ? { ...row.item } : { name: '', kind: 'plate' as const, description: '', reason: '', requester: '', due: '' },
  );
  let shot = $state('');
  onMount(() => dialog?.showModal());
  const details = () => ({
    name: f.name,
    kind: f.kind,
    description: f.description,
    reason: f.reason,
    requester: f.requester,
    due: f.due,
  });
  async function keep(e: Event) {
    e.preventDefault();
    try {
      const item = row
        ? await ask(api.PUT('/api/items/{id}', { params: { path: { id: row.item.id } }, body: details() }))
        : await ask(api.POST('/api/programmes/{id}/items', { params: { path: { id: c.programme } }, body: details() }));
      if (shot)
        await ask(
          api.PUT('/api/shots/{id}/items/{item}', {
            params: { path: { id: shot, item: item.id } },
            body: { first: -1, last: -1 },
          }),
        );
      await c.load();
      dialog?.close();
    } catch (x) {
      error = (x as Error).message;
    }
  }
  async function away(all: boolean) {
    if (
      !row ||
      !confirm(
        all
          ? `Take ${row.item.name} out of the list? Covers that were made for it stay in their shots.`
          : `Take ${row.item.name} out of ${row.shot!.name}?`,
      )
    )
      return;
    try {
      if (all) await ask(api.DELETE('/api/items/{id}', { params: { path: { id: row.item.id } } }));
      else
        await ask(
          api.DELETE('/api/shots/{id}/items/{item}', { params: { path: { id: row.shot!.id, item: row.item.id } } }),
        );
      await c.load();
      dialog?.close();
    } catch (x) {
      error = (x as Error).message;
    }
  }
</script>

<dialog bind:this={dialog} class="modal" {onclose} aria-labelledby="item-title">
  <form class="modal-box flex max-w-xl flex-col gap-2 p-4" onsubmit={keep} data-testid="edit-item">
    <h2 id="item-title" class="text-lg font-semibold">{row ? row.item.name : 'A new item'}</h2>
    {#if error}<p class="text-error" role="alert">{error}</p>{/if}
    <div class="grid grid-cols-[8rem_1fr] items-center gap-2">
      <label for="i-name">Name</label><input
        id="i-name"
        class="input w-full input-sm"
        bind:value={f.name}
        required
        maxlength="200"
      />
      <label for="i-kind">Kind</label><select id="i-kind" class="select w-full select-sm" bind:value={f.kind}
        >{#each Object.entries(kinds) as [k, t] (k)}<option value={k}>{t}</option>{/each}</select
      >
      <label for="i-desc">Description</label><input
        id="i-desc"
        class="input w-full input-sm"
        bind:value={f.description}
        maxlength="2000"
      />
      <label for="i-reason">Reason</label><input
        id="i-reason"
        class="input w-full input-sm"
        bind:value={f.reason}
        maxlength="2000"
      />
      <label for="i-req">Requested by</label><input
        id="i-req"
        class="input w-full input-sm"
        bind:value={f.requester}
        maxlength="200"
      />
      <label for="i-due">Due</label><input id="i-due" type="date" class="input w-full input-sm" bind:value={f.due} />
      <label for="i-shot">{row ? 'Also seen in' : 'Appearance in'}</label>
      <select id="i-shot" class="select w-full select-sm" bind:value={shot}
        ><option value="">{row ? 'no other shot' : 'no shot yet'}</option>{#each c.list?.shots ?? [] as s (s.id)}<option
            value={s.id}>{s.name}</option
          >{/each}</select
      >
    </div>
    <div class="mt-2 flex gap-2">
      {#if row}<button type="button" class="btn btn-ghost btn-sm" onclick={() => away(true)}
          >Delete from the list</button
        >{#if row.shot}<button type="button" class="btn btn-ghost btn-sm" onclick={() => away(false)}
            >Not in this shot</button
          >{/if}{/if}
      <button type="button" class="btn ml-auto btn-sm" onclick={() => dialog?.close()}>Cancel</button>
      <button class="btn btn-primary btn-sm">Save</button>
    </div>
  </form>
</dialog>
