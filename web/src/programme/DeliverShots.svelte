<script lang="ts">
  // Chosen shots go out, each as a file of its own, named by a pattern.
  import { onMount } from 'svelte';
  import { api, ask, type Preset, type Programme } from '../api/api';
  import { counted } from '../shared/format';
  import { named } from '../shared/named';
  import { remembered } from '../shared/remembered';

  let { p, onclose }: { p: Programme; onclose: () => void } = $props();
  let dialog = $state<HTMLDialogElement>();
  let presets = $state.raw<Preset[]>([]);
  let preset = $state(remembered.preset);
  let pattern = $state(remembered.shotPattern);
  let refused = $state.raw<{ name: string; why: string }[]>([]);
  let sent = $state(0);
  let busy = $state(false);
  let error = $state('');
  const sourceOf = (id: string) => p.sources.find((s) => s.id === id);
  const there = $derived(
    p.shots.filter((s) => sourceOf(s.source)?.state === 'ready' && !sourceOf(s.source)?.info.still),
  );
  // svelte-ignore state_referenced_locally
  let chosen = $state(there.map((s) => s.id));
  const wanted = $derived(there.filter((s) => chosen.includes(s.id)));
  const nameOf = (s: Programme['shots'][number], version: number) =>
    named(pattern, {
      programme: p.name,
      source: (sourceOf(s.source)?.name ?? '').replace(/\.[A-Za-z0-9]{2,4}$/, ''),
      shot: s.name.replace(/\.[A-Za-z0-9]{2,4}$/, ''),
      version,
      date: new Date(),
      timecode: sourceOf(s.source)?.info.timecode || '00:00:00:00',
    });
  const version = (id: string) => p.deliveries.filter((d) => d.shot === id).length + 1;
  const example = $derived(wanted[0] && nameOf(wanted[0], version(wanted[0].id)));
  /** Two shots that would have one name are told apart by numbers. */
  const names = $derived.by(() => {
    const out: string[] = [];
    for (const s of wanted) {
      const name = nameOf(s, version(s.id));
      const same = out.filter((n) => n === name || n.startsWith(`${name} (`)).length;
      out.push(same ? `${name} (${same + 1})` : name);
    }
    return out;
  });

  onMount(async () => {
    dialog?.showModal();
    if (!there[0]) return;
    try {
      const path = { id: there[0].source };
      presets = await ask(api.GET('/api/sources/{id}/presets', { params: { path } }));
      if (!presets.some((x) => x.name === preset)) preset = 'review';
    } catch (e) {
      error = (e as Error).message;
    }
  });

  async function deliver(e: Event) {
    e.preventDefault();
    [remembered.preset, remembered.shotPattern] = [preset, pattern];
    busy = true;
    const no: { name: string; why: string }[] = [];
    sent = 0;
    const list = wanted.map((s, i) => ({ id: s.id, name: names[i] ?? s.name }));
    for (const { id, name } of list) {
      try {
        await ask(api.POST('/api/shots/{id}/deliveries', { params: { path: { id } }, body: { preset, name } }));
        sent++;
      } catch (x) {
        no.push({ name, why: (x as Error).message });
      }
    }
    refused = no;
    busy = false;
    if (!no.length) dialog?.close();
  }
</script>

<dialog bind:this={dialog} class="modal" aria-label="Deliver shots" {onclose}>
  <div class="modal-box flex max-w-xl flex-col gap-3 p-4">
    <h2 class="text-[15px] font-semibold">Deliver shots, each as a file of its own</h2>
    {#if !there.length}<p>No shot is ready yet.</p>{/if}
    <form class="flex flex-col gap-3" onsubmit={deliver}>
      <fieldset class="max-h-64 overflow-auto border border-base-300 p-2">
        <legend class="sr-only">Shots</legend>
        <button
          type="button"
          class="quiet mb-1 hover:underline"
          onclick={() => (chosen = chosen.length === there.length ? [] : there.map((s) => s.id))}
          >{chosen.length === there.length ? 'None of them' : 'All of them'}</button
        >
        {#each there as s (s.id)}
          <label class="flex items-center gap-2 py-0.5">
            <input type="checkbox" class="checkbox checkbox-xs" value={s.id} bind:group={chosen} />
            <span class="truncate">{s.name}</span>
            <span class="tc quiet ml-auto">{s.frames} f</span>
          </label>
        {/each}
      </fieldset>
      <div class="grid grid-cols-[5rem_1fr] items-center gap-x-3 gap-y-2">
        <span class="quiet">Format</span>
        <select class="select w-full select-sm" aria-label="Format of the shots" bind:value={preset}>
          {#each presets as x (x.name)}<option value={x.name}>{x.title}{x.house ? ' (house)' : ''}</option>{/each}
        </select>
        <span class="quiet">Named</span>
        <input
          class="input w-full input-sm"
          aria-label="Pattern of the names"
          title="programme, source, shot, version, date and timecode in braces stand for what they say"
          required
          maxlength="120"
          bind:value={pattern}
        />
        {#if example}<span></span><span class="quiet truncate">{example}</span>{/if}
      </div>
      {#if error}<p class="text-error" role="alert">{error}</p>{/if}
      {#if refused.length}
        <div class="text-error" role="alert">
          {counted(sent, 'shot is', 'shots are')} on the way; not these:
          <ul>
            {#each refused as r (r.name)}<li>{r.name}: {r.why}</li>{/each}
          </ul>
        </div>
      {/if}
      <div class="flex justify-end gap-2">
        <button type="button" class="btn btn-sm" onclick={() => dialog?.close()}>Close</button>
        <button class="btn btn-primary btn-sm" disabled={busy || !wanted.length || !presets.length}
          >Deliver {counted(wanted.length, 'shot', 'shots')}</button
        >
      </div>
    </form>
  </div>
</dialog>
