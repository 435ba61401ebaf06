<script lang="ts">
  // For the second person: one item after another, its stretch playing round and round,
  // what the check found, and yes or no.
  import { onMount } from 'svelte';
  import { api, ask, listen, type List, type Patch, type Review } from '../api/api';
  import { Frames } from '../bench/frames';
  import { kinds } from '../shared/format';
  import { me } from '../shared/me';
  import LookButton from '../shared/LookButton.svelte';
  import WorkButton from '../shared/WorkButton.svelte';
  import { route } from '../shared/route.svelte';
  import { states } from '../shared/states';
  import { Speaker } from '../bench/sound/speaker';
  import { remembered } from '../shared/remembered';
  import Findings from './Findings.svelte';

  let { id }: { id: string } = $props();
  type Entry = { item: string; shot: string };
  let list = $state.raw<List>();
  let all = $state(false); // not only what is ready
  let at = $state.raw<Entry>();
  let r = $state.raw<Review>();
  let error = $state('');
  let who = $state(me.name === 'Editor' ? '' : me.name);
  let note = $state('');
  let pin = $state.raw<{ frame: number; x: number; y: number }>();
  let frame = $state(0);
  let playing = $state(true);
  let clean = $state(false);
  let rate = $state(1);
  let canvas = $state<HTMLCanvasElement>();
  let noteBox = $state<HTMLTextAreaElement>();
  let frames: Frames | undefined;
  let speaker: Speaker | undefined;
  let sound = $state(remembered.sound);
  let framesOf = '';
  let drawn = $state(0);

  const queue = $derived(
    (list?.appearances ?? [])
      .filter((s) => all || s.state === 'ready')
      .map((s) => ({
        ...s,
        name: list!.items.find((i) => i.id === s.item)!.name,
        where: list!.shots.find((x) => x.id === s.shot)!.name,
      })),
  );
  const here = $derived(r?.items.find((i) => i.item.id === at?.item));
  const stretch = $derived<[number, number]>(here ? [here.play.first, here.play.last] : [0, (r?.shot.frames ?? 1) - 1]);
  const open = $derived(here?.findings.filter((f) => f.state === 'open') ?? []);

  async function load() {
    try {
      list = await ask(api.GET('/api/programmes/{id}/list', { params: { path: { id } } }));
      error = '';
      if (!at || !list.appearances.some((s) => s.item === at!.item && s.shot === at!.shot)) {
        const q = new URLSearchParams(location.search);
        const first =
          list.appearances.find((s) => s.item === q.get('item') && s.shot === q.get('shot')) ??
          list.appearances.find((s) => s.state === 'ready');
        if (first) await show(first, true);
      } else await show(at, false);
    } catch (e) {
      error = (e as Error).message;
    }
  }
  async function show(e: Entry, anew: boolean) {
    r = await ask(api.GET('/api/shots/{id}/review', { params: { path: { id: e.shot } } }));
    at = { item: e.item, shot: e.shot };
    if (framesOf !== r.shot.id) {
      frames = new Frames(r.shot.source, r.shot.id, r.shot.first, r.shot.frames - 1, () => drawn++);
      framesOf = r.shot.id;
    }
    speak(r);
    if (anew) {
      frame = stretch[0];
      pin = undefined;
      note = '';
      playing = true;
    }
    drawn++;
  }
  /** The sound of the shot as it will be delivered: its first track, or the first two where they are mono. */
  let spoken = '';
  function speak(r: Review) {
    const all = r.sourceInfo.info.sound;
    const now = `${r.shot.id} ${r.revision}`;
    if (now === spoken) return;
    spoken = now;
    speaker?.close();
    speaker = undefined;
    if (!all?.length) return;
    const tracks = all.length > 1 && all[0]!.channels === 1 && all[1]!.channels === 1 ? '0,1' : '0';
    const address = (from: number, seconds: number) =>
      `/api/shots/${r.shot.id}/sound/${r.revision}?tracks=${tracks}&from=${from}&seconds=${seconds}`;
    speaker = new Speaker({ rate: all[0]!.rate, address });
  }
  function step(by: number) {
    const i = queue.findIndex((q) => q.item === at?.item && q.shot === at?.shot);
    const next = queue[i < 0 ? 0 : (i + by + queue.length) % queue.length];
    if (next) void show(next, true);
  }
  onMount(() => {
    void load();
    let later: ReturnType<typeof setTimeout> | undefined;
    const stop = listen((kind) => {
      if (kind === 'look' || kind === 'attempt' || kind === 'source') return;
      clearTimeout(later);
      later = setTimeout(() => void load(), 150);
    });
    return () => (stop(), clearTimeout(later), speaker?.close());
  });

  // Playing: the next frame when its time has come and its pictures are here.
  $effect(() => {
    if (!playing || !r || !frames) return;
    const [first, last] = stretch;
    const rev = r.revision;
    const fps = (r.sourceInfo.info.rate.num / r.sourceInfo.info.rate.den) * rate;
    let due = performance.now() + 1000 / fps;
    let stop = false;
    const tick = (now: number) => {
      if (stop) return;
      if (now >= due - 2) {
        const next = frame >= last || frame < first ? first : frame + 1;
        if (frames!.have(rev, next)) {
          frame = next;
          speaker?.follow((frame * rate) / fps, sound ? rate : 0);
          due = Math.max(due + 1000 / fps, now);
        }
        frames!.ahead(rev, frame, 1, [first, last], 'plays');
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    return () => {
      stop = true;
      speaker?.stop();
    };
  });

  $effect(() => {
    void drawn;
    if (!canvas || !frames || !r) return;
    const [f, rev, bare] = [frame, r.revision, clean];
    let gone = false;
    const paint = () => {
      const view = frames!.view(f).value;
      const patch: Patch | undefined = frames!.patch(rev, f).value;
      if (gone || !canvas || !view || (!patch && !bare)) return false;
      if (canvas.width !== view.width || canvas.height !== view.height)
        [canvas.width, canvas.height] = [view.width, view.height];
      const c = canvas.getContext('2d', { alpha: false })!;
      c.drawImage(view, 0, 0);
      let y = 0;
      if (!bare && patch?.picture)
        for (const [px, py, pw, ph] of patch.regions) {
          c.drawImage(patch.picture, 0, y, pw, ph, px, py, pw, ph);
          y += ph;
        }
      canvas.dataset.shown = `${f}:${rev}:${bare ? 'clean' : 'concealed'}`;
      return true;
    };
    if (!paint()) void Promise.all([frames.view(f).wait, frames.patch(rev, f).wait]).then(() => paint());
    return () => (gone = true);
  });

  const seek = (f: number) => ((playing = false), (frame = Math.min(Math.max(f, 0), (r?.shot.frames ?? 1) - 1)));

  function place(e: MouseEvent) {
    const b = canvas!.getBoundingClientRect();
    playing = false;
    pin = {
      frame,
      x: ((e.clientX - b.left) / b.width) * r!.sourceInfo.info.width,
      y: ((e.clientY - b.top) / b.height) * r!.sourceInfo.info.height,
    };
    noteBox?.focus();
  }

  async function decide(state?: 'approved' | 'back') {
    if (!at) return;
    try {
      me.name = who;
      await ask(
        api.POST('/api/shots/{id}/items/{item}/decisions', {
          params: { path: { id: at.shot, item: at.item } },
          body: { state, by: who, note, ...(pin ? { frame: pin.frame, x: pin.x, y: pin.y } : {}) },
        }),
      );
      note = '';
      pin = undefined;
      error = '';
      const before = queue.findIndex((q) => q.item === at!.item && q.shot === at!.shot);
      list = await ask(api.GET('/api/programmes/{id}/list', { params: { path: { id } } }));
      const next = !state || all ? at : (queue[Math.min(before, queue.length - 1)] ?? at);
      await show(next!, !!state && next !== at);
    } catch (e) {
      error = (e as Error).message;
    }
  }
  async function checkNow() {
    try {
      await ask(api.POST('/api/shots/{id}/check', { params: { path: { id: at!.shot } }, body: {} }));
      if (at) await show(at, false);
    } catch (e) {
      error = (e as Error).message;
    }
  }
  function press(e: KeyboardEvent, down: boolean) {
    const t = e.target as HTMLElement;
    if (t.closest('input:not([type=checkbox]),textarea,select') || e.ctrlKey || e.metaKey || e.altKey) return;
    if (e.key === 'c') return (clean = down);
    if (!down || (t.closest('button,input') && [' ', 'Enter'].includes(e.key))) return;
    const keys: Record<string, () => unknown> = {
      ' ': () => (playing = !playing),
      ArrowRight: () => seek(frame + (e.shiftKey ? 10 : 1)),
      ArrowLeft: () => seek(frame - (e.shiftKey ? 10 : 1)),
      ArrowDown: () => step(1),
      ArrowUp: () => step(-1),
      a: () => decide('approved'),
      b: () => noteBox?.focus(),
      s: () => (rate = rate === 1 ? 0.25 : 1),
    };
    const k = keys[e.key];
    if (k) {
      e.preventDefault();
      k();
    }
  }
  /** The notes on the frame shown, with the one that is being written. */
  const pins = $derived([
    ...(here?.decisions ?? []).filter((d) => d.note && d.frame === frame && d.x !== undefined),
    ...(pin?.frame === frame ? [{ id: 0, x: pin.x, y: pin.y, note: 'your note' }] : []),
  ]);
  const about = (i: Review['items'][number]['item']) =>
    [
      ['', i.description],
      ['Why: ', i.reason],
      ['For: ', i.requester],
      ['Due: ', i.due],
    ].filter((line) => line[1]);
  const said = (d: Review['items'][number]['decisions'][number]) =>
    d.was === d.state ? 'note' : states[d.state].name.toLowerCase();
</script>

<svelte:window onkeydown={(e) => press(e, true)} onkeyup={(e) => press(e, false)} onblur={() => (clean = false)} />

<main class="review h-full overflow-hidden">
  <header class="flex items-center gap-3 border-b border-base-300 px-3">
    <a class="quiet hover:underline" href="/programmes/{id}" onclick={route.follow}>Clearance list</a>
    <h1 class="font-semibold">Review</h1>
    {#if error}<span class="ml-3 text-error" role="alert">{error}</span>{/if}
    <span class="ml-auto flex items-center"><WorkButton /><LookButton /></span>
    <label class=" flex items-center gap-1"
      ><span class="quiet">Reviewer</span>
      <input
        class="input w-40 input-xs"
        aria-label="Reviewer’s name"
        placeholder="Your name"
        bind:value={who}
        onchange={() => {
          me.name = who;
          void load(); // what may be approved goes by the name
        }}
        maxlength="200"
      /></label
    >
  </header>

  <nav class="flex min-h-0 flex-col overflow-auto border-r border-base-300" aria-label="Items to review">
    <label class="quiet flex items-center gap-2 px-2 py-1.5"
      ><input type="checkbox" class="checkbox checkbox-xs" bind:checked={all} /> All items, not only ready ones</label
    >
    {#each queue.slice(0, 400) as q (q.item + q.shot)}
      {@const s = states[q.state]}
      {@const hand = q.item === at?.item && q.shot === at?.shot}
      <button
        class="border-l-4 px-2 py-1.5 text-left {hand
          ? 'border-primary bg-base-200'
          : 'border-transparent hover:bg-base-200'}"
        aria-current={hand}
        onclick={() => show(q, true)}
        data-testid="to-review"
      >
        <span class="block truncate font-medium">{q.name}</span>
        <span class="quiet block truncate text-[12px]"
          ><span class={s.colour} aria-hidden="true">{s.mark}</span> {s.name}, {q.where}</span
        >
        {#if q.severe}<span class="text-[12px] text-error">▼ {q.severe} severe</span>{/if}
      </button>
    {:else}
      <p class="quiet p-2">Nothing is ready for review. What the editors mark as ready comes here.</p>
    {/each}
  </nav>

  <div class="reel flex min-h-0 min-w-0 flex-col">
    <div class="relative flex min-h-0 flex-1 items-center justify-center bg-[#1c1c1c]" data-theme="celator">
      {#if r && here}
        <div
          class="relative max-h-full max-w-full"
          style="aspect-ratio:{r.sourceInfo.viewWidth}/{r.sourceInfo.viewHeight};{r.sourceInfo.viewHeight >
          r.sourceInfo.viewWidth
            ? 'height:100%'
            : 'width:100%'}"
        >
          <canvas
            bind:this={canvas}
            class="absolute inset-0 h-full w-full cursor-crosshair"
            aria-label="The picture; click to pin a note"
            data-testid="review-picture"
            onclick={place}
          ></canvas>
          {#each pins as d (d.id)}
            <span
              class="pointer-events-none absolute"
              style="left:{(100 * d.x!) / r.sourceInfo.info.width}%;top:{(100 * d.y!) / r.sourceInfo.info.height}%"
              data-testid="pin"
            >
              <span class="absolute -top-2 -left-2 h-4 w-4 rotate-45 border-2 border-white outline outline-black"
              ></span>
              <span class="absolute top-2 left-3 w-max max-w-60 bg-black/80 px-1.5 py-0.5 text-[12px] text-white"
                >{d.note}</span
              >
            </span>
          {/each}
          {#if clean}<span class="absolute top-2 left-2 bg-black/70 px-2 text-white">Clean picture</span>{/if}
        </div>
      {:else}
        <p class="quiet">Choose an item on the left.</p>
      {/if}
    </div>
    {#if r && here}
      <div class="flex items-center gap-2 border-t border-base-300 px-2 py-1">
        <button class="btn w-14 btn-xs" onclick={() => (playing = !playing)}>{playing ? 'Pause' : 'Play'}</button>
        <button class="btn btn-xs" aria-pressed={rate < 1} onclick={() => (rate = rate === 1 ? 0.25 : 1)}
          >{rate === 1 ? 'Full speed' : 'Quarter speed'}</button
        >
        {#if r.sourceInfo.info.sound?.length}
          <button
            class="btn btn-xs"
            aria-pressed={sound}
            title="As it will be delivered"
            onclick={() => (sound = remembered.sound = !sound)}>{sound ? 'Sound on' : 'Sound off'}</button
          >
        {/if}
        <button class="btn btn-xs" aria-pressed={clean} onclick={() => (clean = !clean)} title="C, while held"
          >{clean ? 'Clean' : 'Concealed'}</button
        >
        <div class="relative h-7 flex-1">
          <input
            type="range"
            class="range absolute inset-x-0 top-2 w-full range-xs"
            aria-label="Frame"
            min={stretch[0]}
            max={stretch[1]}
            value={frame}
            oninput={(e) => seek(Number(e.currentTarget.value))}
          />
          {#each open as f (f.id)}{#each f.frames as s (s.first)}
              <button
                class="absolute top-0 h-[7px] {f.severity === 'severe'
                  ? 'bg-(--severe)'
                  : 'border-t-2 border-dashed border-(--minor)'}"
                style="left:{(100 * (s.first - stretch[0])) / Math.max(stretch[1] - stretch[0], 1)}%;width:{Math.max(
                  (100 * (s.last - s.first + 1)) / Math.max(stretch[1] - stretch[0], 1),
                  0.8,
                )}%"
                aria-label="{f.title}, f {s.first}"
                onclick={() => seek(s.first)}
              ></button>
            {/each}{/each}
        </div>
        <span class="tc w-16 text-right">f {frame}</span>
      </div>
    {/if}
  </div>

  <aside class="flex min-h-0 flex-col gap-3 overflow-auto border-l border-base-300 p-3" aria-label="Decision">
    {#if here && r}
      {@const s = states[here.appearance.state]}
      <div>
        <h2 class="text-base font-semibold">
          {here.item.name} <span class="quiet font-normal">{kinds[here.item.kind]}</span>
        </h2>
        <p class="quiet">
          {r.shot.name}{#if here.span}, f {here.span.first}–{here.span.last}{/if}
        </p>
        <p>
          <span class={s.colour}><span aria-hidden="true">{s.mark}</span> {s.name}</span>{#if here.appearance.by}<span
              class="quiet">, {here.appearance.by}</span
            >{/if}
        </p>
        {#each about(here.item) as [k, v] (k)}<p class="text-[12px]">
            <span class="quiet">{k}</span>{v}
          </p>{/each}
      </div>
      <Findings
        item={here}
        checked={r.check.current}
        {who}
        {seek}
        onerror={(x) => (error = x)}
        onwaived={() => void load()}
      />
      <div class="flex flex-col gap-1.5">
        <textarea
          bind:this={noteBox}
          class="textarea w-full textarea-sm"
          rows="3"
          aria-label="Note"
          placeholder="A note. Click the picture to pin it to a frame and a place."
          bind:value={note}
          maxlength="2000"
          onfocus={() => (playing = false)}></textarea>
        {#if pin}<p class="quiet text-[12px]">
            Pinned to f {pin.frame} at {pin.x.toFixed(0)}, {pin.y.toFixed(0)}.
            <button class="underline" onclick={() => (pin = undefined)}>Remove the pin</button>
          </p>{/if}
        <div class="flex gap-1">
          <button
            class="btn flex-1 btn-primary btn-sm"
            disabled={!!here.refusal || !r.check.current || !who.trim()}
            title={here.refusal}
            onclick={() => decide('approved')}>Approve (A)</button
          >
          <button
            class="btn flex-1 btn-sm"
            disabled={!['ready', 'approved'].includes(here.appearance.state) || !note.trim() || !who.trim()}
            onclick={() => decide('back')}>Send back</button
          >
          <button class="btn btn-sm" disabled={!note.trim() || !who.trim()} onclick={() => decide()}>Note only</button>
        </div>
        {#if !r.check.current}
          <div class="flex items-center gap-2 text-[12px]" role="status" data-testid="check-run">
            {#if r.check.state === 'running'}
              <span class="shrink-0">{r.check.waiting || 'The check is under way.'}</span>
              <progress
                class="progress flex-1 progress-primary"
                value={r.check.done}
                max={Math.max(r.check.frames, 1)}
                aria-label="Frames checked"
              ></progress>
              {#if !r.check.awaited}<button class="btn btn-xs" onclick={() => void checkNow()}>Check now</button>{/if}
            {:else}
              <span
                >{r.check.error ||
                  r.check.waiting ||
                  (r.check.state === 'queued' ? 'The check is to come.' : 'It was not checked as it stands.')}</span
              >
              <button class="btn ml-auto btn-xs" onclick={() => void checkNow()}>Check now</button>
            {/if}
          </div>
        {/if}
        {#if !who.trim()}<p class="quiet text-[12px]">Give your name above: every decision has one.</p>
        {:else if here.refusal && here.appearance.state === 'ready'}<p
            class="text-[12px] text-error"
            data-testid="refusal"
          >
            {here.refusal}
          </p>{/if}
      </div>
      {#if here.decisions.length}
        <div>
          <h3 class="font-semibold">So far</h3>
          <ol class="flex flex-col gap-1 text-[12px]" data-testid="decisions">
            {#each here.decisions as d (d.id)}
              <li>
                <button
                  class="text-left"
                  disabled={d.frame === undefined}
                  onclick={() => d.frame !== undefined && seek(d.frame)}
                  ><span class="quiet"
                    >{new Date(d.at).toLocaleString('en-GB', { dateStyle: 'short', timeStyle: 'short' })}, {d.by}:</span
                  >
                  {said(d)}{#if d.change}, because the shot was changed: {d.change}{/if}
                  {#if d.note}“{d.note}”{/if}
                  {#if d.frame !== undefined}<span class="quiet"> f {d.frame}</span>{/if}</button
                >
              </li>
            {/each}
          </ol>
        </div>
      {/if}
      <p class="quiet mt-auto text-[12px]">
        Space plays, C held shows the clean picture, S is slow, ↑ ↓ go to other items.
      </p>
    {/if}
  </aside>
</main>
