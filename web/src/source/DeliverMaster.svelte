<script lang="ts">
  // The source goes out as one file, with the covers of all its shots: what it holds is shown
  // before, and what speaks against it.
  import { onMount } from 'svelte';
  import { api, ask, listen, type Contents, type Delivery, type Preset, type Source } from '../api/api';
  import Deliveries from '../programme/Deliveries.svelte';
  import { counted } from '../shared/format';
  import { named } from '../shared/named';
  import { remembered } from '../shared/remembered';
  import { route } from '../shared/route.svelte';

  let { s }: { s: Source } = $props();
  let presets = $state.raw<Preset[]>([]);
  let preset = $state(remembered.master);
  let contents = $state.raw<Contents>();
  let deliveries = $state.raw<Delivery[]>([]);
  let programme = $state('');
  let pattern = $state(remembered.pattern);
  let from = $state('');
  let to = $state('');
  let despite = $state(false);
  let busy = $state(false);
  let error = $state('');
  let all = $state(false); // shots without covers and items are listed too

  const chosen = $derived(presets.find((p) => p.name === preset));
  const name = $derived(
    named(pattern, {
      programme,
      source: s.name.replace(/\.[A-Za-z0-9]{2,4}$/, ''),
      version: deliveries.length + 1,
      date: new Date(),
      timecode: from || s.info.timecode || '00:00:00:00',
    }),
  );
  const doubts = $derived(chosen?.forReview ? [] : (contents?.doubts ?? []));
  /** Of what is not settled the programme lets out nothing, but for review. */
  const forbidden = $derived(!!contents?.forbidden && !chosen?.forReview);
  const consequence = $derived(
    forbidden ? 'The programme lets out only what is settled.' : 'Deliver despite that; the report says so.',
  );
  const sentence = (t: string) => t.charAt(0).toUpperCase() + t.slice(1);
  const whole = $derived(!from && !to);
  const left = $derived((whole ? chosen?.left.whole : chosen?.left.part) ?? []);
  const touched = $derived(contents?.shots.filter((c) => c.covers > 0 || c.items.length > 0) ?? []);
  const listed = $derived(all ? (contents?.shots ?? []) : touched);

  async function load() {
    try {
      const params = { path: { id: s.id } };
      contents = await ask(api.GET('/api/sources/{id}/contents', { params }));
      const p = await ask(api.GET('/api/programmes/{id}', { params: { path: { id: s.programme } } }));
      programme = p.name;
      deliveries = p.deliveries.filter((d) => d.source === s.id && !d.shot && !d.reel);
      if (!presets.length) presets = await ask(api.GET('/api/sources/{id}/presets', { params }));
      if (!presets.some((x) => x.name === preset)) preset = 'source';
    } catch (e) {
      error = (e as Error).message;
    }
  }
  onMount(() => {
    void load();
    return listen((kind, what) => {
      if (kind === 'delivery') void renew(what);
      else if (kind === 'all' || what === s.programme) void load();
      else if (kind === 'shot' && contents?.shots.some((c) => c.shot === what)) void load();
    });
  });

  /** How far a delivery has come; it says so several times a second. */
  async function renew(id: string) {
    if (!deliveries.some((d) => d.id === id)) return;
    const d = await ask(api.GET('/api/deliveries/{id}', { params: { path: { id } } })).catch(() => undefined);
    if (d) deliveries = deliveries.map((x) => (x.id === id ? d : x));
  }

  async function deliver(e: Event) {
    e.preventDefault();
    busy = true;
    error = '';
    [remembered.master, remembered.pattern] = [preset, pattern];
    try {
      const body = { preset, name, from, to, despite };
      await ask(api.POST('/api/sources/{id}/deliveries', { params: { path: { id: s.id } }, body }));
      despite = false;
    } catch (e) {
      error = (e as Error).message;
    }
    await load();
    busy = false;
  }
</script>

<section class="flex flex-col gap-3" aria-label="Deliver the master">
  <h2 class="text-[20px] font-semibold">Deliver the master</h2>
  <form class="grid grid-cols-[6rem_1fr] items-center gap-x-3 gap-y-2" onsubmit={deliver}>
    <span class="quiet">Format</span>
    <select class="select w-full select-sm" aria-label="Format of the master" bind:value={preset}>
      {#each presets as p (p.name)}<option value={p.name} disabled={!!p.refusal}
          >{p.title}{p.house ? ' (house)' : ''}</option
        >{/each}
    </select>
    <span class="quiet">From, to</span>
    <span class="flex items-center gap-2">
      <input
        class="tc input w-36 input-sm"
        aria-label="First timecode"
        placeholder={s.info.timecode || 'its first frame'}
        bind:value={from}
      />
      <input class="tc input w-36 input-sm" aria-label="Last timecode" placeholder="its last frame" bind:value={to} />
      <span class="quiet">timecodes or frames; all of it where they are empty</span>
    </span>
    <span class="quiet">Named</span>
    <span class="flex items-center gap-2">
      <input
        class="input w-64 input-sm"
        aria-label="Pattern of the name"
        title="programme, source, version, date and timecode in braces stand for what they say"
        required
        maxlength="120"
        bind:value={pattern}
      />
      <span class="truncate" data-testid="name">{name}.{chosen?.container ?? ''}</span>
    </span>
    {#if doubts.length}
      <span></span>
      <label class="flex items-start gap-2 text-error"
        ><input type="checkbox" class="checkbox checkbox-sm" bind:checked={despite} disabled={forbidden} />
        <span data-testid="doubts">{sentence(doubts.join(', '))}. {consequence}</span></label
      >
    {/if}
    {#if chosen?.refusal}<span></span>
      <p class="text-error" role="alert">{chosen.refusal}</p>{/if}
    {#if chosen?.changes.length}<span class="quiet">Changed</span>
      <p>{chosen.changes.join(', ')}</p>{/if}
    {#if left.length}<span class="quiet">Not carried</span>
      <p>{left.join(', ')}</p>{/if}
    <span></span>
    <button
      class="btn justify-self-start btn-primary btn-sm"
      disabled={busy || !chosen || !!chosen.refusal || forbidden || (doubts.length > 0 && !despite)}
      >Deliver {contents ? counted(contents.shots.length, 'shot', 'shots') : ''} as one file</button
    >
  </form>
  {#if error}<p class="text-error" role="alert">{error}</p>{/if}
  {#if contents}
    <table class="w-full">
      <thead
        ><tr class="quiet text-left"><th>Shot</th><th>Frames</th><th>Covers</th><th>Items</th><th>Open findings</th></tr
        ></thead
      >
      <tbody>
        {#each listed as c (c.shot)}
          <tr class="border-t border-base-300 align-top" data-testid="content">
            <td class="py-1"><a class="hover:underline" href="/shots/{c.shot}" onclick={route.follow}>{c.name}</a></td>
            <td class="tc py-1">{c.first}–{c.last}</td>
            <td class="py-1">{c.covers}</td>
            <td class="py-1">{c.items.map((i) => `${i.name}: ${i.state.toLowerCase()}`).join('; ') || 'none'}</td>
            <td class="py-1 {c.severe ? 'text-error' : ''}"
              >{c.severe + c.minor ? `${c.severe} severe, ${c.minor} minor` : 'none'}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
    {#if contents.shots.length > touched.length}
      <button class="quiet self-start hover:underline" onclick={() => (all = !all)}
        >{all ? 'Only shots with covers or items' : `And ${contents.shots.length - touched.length} without any`}</button
      >
    {/if}
  {/if}
  {#if deliveries.length}<Deliveries list={deliveries} />{/if}
</section>
