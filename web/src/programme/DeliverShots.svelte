<script lang="ts">
  // Chosen shots go out, each as a file of its own or one after another in one, named by a pattern. What they hold is
  // shown before, and what speaks against it.
  import { onMount } from 'svelte';
  import { api, ask, type Contents, type Preset, type Programme } from '../api/api';
  import { counted } from '../shared/format';
  import { named } from '../shared/named';
  import { remembered } from '../shared/remembered';

  let { p, onclose }: { p: Programme; onclose: () => void } = $props();
  let dialog = $state<HTMLDialogElement>();
  let presets = $state.raw<Preset[]>([]);
  let preset = $state(remembered.preset);
  let reel = $state(remembered.reel);
  let patterns = $state({ each: remembered.shotPattern, reel: remembered.reelPattern });
  let known = $state.raw<Contents['shots']>([]);
  let contents = $state.raw<Contents>();
  let despite = $state(false);
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
  const offered = $derived(presets.filter((x) => !reel || x.name !== 'source'));
  const using = $derived(offered.find((x) => x.name === preset));
  const doubts = $derived(using?.forReview ? [] : (contents?.doubts ?? []));
  const forbidden = $derived(!!contents?.forbidden && !using?.forReview);
  const sentence = (t: string) => t.charAt(0).toUpperCase() + t.slice(1);

  type Shot = Programme['shots'][number];
  const nameOf = (pattern: string, s: Shot, version: number) =>
    named(pattern, {
      programme: p.name,
      source: (sourceOf(s.source)?.name ?? '').replace(/\.[A-Za-z0-9]{2,4}$/, ''),
      shot: s.name.replace(/\.[A-Za-z0-9]{2,4}$/, ''),
      version,
      date: new Date(),
      timecode: sourceOf(s.source)?.info.timecode || '00:00:00:00',
    });
  const version = (id: string) => p.deliveries.filter((d) => d.shot === id).length + 1;
  /** Two shots that would have one name are told apart by numbers. */
  const names = $derived.by(() => {
    if (reel)
      return wanted.slice(0, 1).map((s) => nameOf(patterns.reel, s, p.deliveries.filter((d) => d.reel).length + 1));
    const out: string[] = [];
    for (const s of wanted) {
      const name = nameOf(patterns.each, s, version(s.id));
      const same = out.filter((n) => n === name || n.startsWith(`${name} (`)).length;
      out.push(same ? `${name} (${same + 1})` : name);
    }
    return out;
  });
  const holds = (id: string): string => {
    const c = known.find((x) => x.shot === id);
    if (!c) return '';
    const open = c.items.filter((i) => !i.settled).length;
    return [
      c.covers ? counted(c.covers, 'cover', 'covers') : 'no cover',
      open ? `${counted(open, 'item', 'items')} not settled` : '',
      c.severe ? `${c.severe} severe` : '',
    ]
      .filter(Boolean)
      .join(', ');
  };

  const hold = (shots: string[]) =>
    ask(api.GET('/api/programmes/{id}/contents', { params: { path: { id: p.id }, query: { shots } } }));
  onMount(async () => {
    dialog?.showModal();
    if (!there[0]) return;
    try {
      const path = { id: there[0].source };
      presets = await ask(api.GET('/api/sources/{id}/presets', { params: { path } }));
    } catch (e) {
      error = (e as Error).message;
    }
  });
  $effect(() => {
    if (offered.length && !using) preset = 'review';
  });
  $effect(() => {
    const shots = wanted.map((s) => s.id);
    despite = false;
    contents = undefined;
    if (!shots.length) return;
    let gone = false;
    hold(shots).then(
      (c) => {
        if (gone) return;
        contents = c;
        if (!known.length) known = c.shots; // at first all are chosen
      },
      (e: Error) => gone || (error = e.message),
    );
    return () => (gone = true);
  });

  async function deliver(e: Event) {
    e.preventDefault();
    [remembered.preset, remembered.reel] = [preset, reel];
    [remembered.shotPattern, remembered.reelPattern] = [patterns.each, patterns.reel];
    busy = true;
    const no: { name: string; why: string }[] = [];
    const send = async (name: string, what: Promise<unknown>) => {
      try {
        await what;
        sent++;
      } catch (x) {
        no.push({ name, why: (x as Error).message });
      }
    };
    sent = 0;
    const list = wanted.map((s, i) => ({ id: s.id, name: names[i] ?? s.name }));
    if (reel) {
      const body = { shots: list.map((s) => s.id), preset, name: names[0], despite };
      const params = { path: { id: p.id } };
      await send(names[0] ?? '', ask(api.POST('/api/programmes/{id}/deliveries', { params, body })));
    } else
      for (const { id, name } of list)
        await send(
          name,
          ask(api.POST('/api/shots/{id}/deliveries', { params: { path: { id } }, body: { preset, name } })),
        );
    refused = no;
    busy = false;
    if (!no.length) dialog?.close();
  }
</script>

<dialog bind:this={dialog} class="modal" aria-label="Deliver shots" {onclose}>
  <div class="modal-box flex max-w-2xl flex-col gap-3 p-4">
    <h2 class="text-[15px] font-semibold">Deliver shots</h2>
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
          <label class="grid grid-cols-[auto_1fr_auto_4rem] items-center gap-2 py-0.5">
            <input type="checkbox" class="checkbox checkbox-xs" value={s.id} bind:group={chosen} />
            <span class="truncate">{s.name}</span>
            <span class="quiet">{holds(s.id)}</span>
            <span class="tc quiet text-right">{s.frames} f</span>
          </label>
        {/each}
      </fieldset>
      <div class="grid grid-cols-[5rem_1fr] items-center gap-x-3 gap-y-2">
        <span class="quiet">As</span>
        <span class="flex gap-4" role="radiogroup" aria-label="Files">
          <label class="flex items-center gap-2"
            ><input type="radio" class="radio radio-xs" value={false} bind:group={reel} />a file for each</label
          >
          <label class="flex items-center gap-2"
            ><input type="radio" class="radio radio-xs" value={true} bind:group={reel} />one file, in this order</label
          >
        </span>
        <span class="quiet">Format</span>
        <select class="select w-full select-sm" aria-label="Format of the shots" bind:value={preset}>
          {#each offered as x (x.name)}<option value={x.name}>{x.title}{x.house ? ' (house)' : ''}</option>{/each}
        </select>
        <span class="quiet">Named</span>
        <input
          class="input w-full input-sm"
          aria-label={reel ? 'Pattern of the name' : 'Pattern of the names'}
          title="programme, {reel ? '' : 'source, shot, timecode, '}version and date in braces stand for what they say"
          required
          maxlength="120"
          bind:value={patterns[reel ? 'reel' : 'each']}
        />
        {#if names[0]}<span></span><span class="quiet truncate">{names[0]}{using ? `.${using.container}` : ''}</span
          >{/if}
        {#if doubts.length}
          <span></span>
          <label class="flex items-start gap-2 text-error"
            ><input type="checkbox" class="checkbox checkbox-sm" bind:checked={despite} disabled={forbidden} />
            <span
              >{sentence(doubts.join(', '))}. {forbidden
                ? 'The programme lets out only what is settled.'
                : 'Deliver despite that; the report says so.'}</span
            ></label
          >
        {/if}
      </div>
      {#if error}<p class="text-error" role="alert">{error}</p>{/if}
      {#if refused.length}
        <div class="text-error" role="alert">
          {#if sent}{counted(sent, 'shot is', 'shots are')} on the way; not these:{/if}
          <ul>
            {#each refused as r (r.name)}<li>{r.name}: {r.why}</li>{/each}
          </ul>
        </div>
      {/if}
      <div class="flex justify-end gap-2">
        <button type="button" class="btn btn-sm" onclick={() => dialog?.close()}>Close</button>
        <button
          class="btn btn-primary btn-sm"
          disabled={busy ||
            wanted.length < (reel ? 2 : 1) ||
            !using ||
            !contents ||
            forbidden ||
            (doubts.length > 0 && !despite)}
          >Deliver {counted(wanted.length, 'shot', 'shots')}{reel ? ' as one file' : ''}</button
        >
      </div>
    </form>
  </div>
</dialog>
