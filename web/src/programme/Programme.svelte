<script lang="ts">
  import { onMount } from 'svelte';
  import FolderOpen from '@lucide/svelte/icons/folder-open';
  import UploadIcon from '@lucide/svelte/icons/upload';
  import { api, ask, listen, type MediaFile, type Programme } from '../api/api';
  import { bytes, counted, kinds } from '../shared/format';
  import { route } from '../shared/route.svelte';
  import { uploads } from './uploads.svelte';
  import { Clearance, type Row } from './list.svelte';
  import { me } from '../shared/me';
  import { order, states } from '../shared/states';
  import Deliveries from './Deliveries.svelte';
  import DeliverShots from './DeliverShots.svelte';
  import Drawings from './Drawings.svelte';
  import Eyes from './Eyes.svelte';
  import FirstSteps from './FirstSteps.svelte';
  import MasterBand from './MasterBand.svelte';
  import StateBar from './StateBar.svelte';
  import LookButton from '../shared/LookButton.svelte';
  import WorkButton from '../shared/WorkButton.svelte';
  import EditItem from './EditItem.svelte';
  import ImportList from './ImportList.svelte';
  import ListRows from './ListRows.svelte';
  import Shots from './Shots.svelte';
  import Styles from './Styles.svelte';

  let { id }: { id: string } = $props();
  // svelte-ignore state_referenced_locally
  const c = new Clearance(id);
  let p = $state.raw<Programme>();
  let file = $state<File>();
  let editing = $state<Row | 'new'>();
  let asking = $state<'waived' | 'back' | ''>('');
  let note = $state('');
  let who = $state(me.name);
  let search = $state<HTMLInputElement>();
  let error = $state('');
  let media = $state<MediaFile[]>();
  let bringing = $state('');
  let delivering = $state(false); // shots are chosen

  async function load() {
    try {
      p = await ask(api.GET('/api/programmes/{id}', { params: { path: { id } } }));
      error = '';
    } catch (e) {
      error = (e as Error).message;
    }
  }
  // Many things may happen at once: what is shown is asked for once after them.
  let later: ReturnType<typeof setTimeout> | undefined;
  onMount(() => {
    void load();
    void c.load();
    const stop = listen((kind) => {
      if (kind === 'look' || kind === 'attempt' || kind === 'drawing') return;
      clearTimeout(later);
      later = setTimeout(() => (void load(), void c.load()), 150);
    });
    return () => (stop(), clearTimeout(later));
  });
  const readyShots = $derived(new Set(p?.shots.filter((s) => sourceOf(s)?.state === 'ready').map((s) => s.id)));
  /** While nothing is done: what to begin with, something flat that is not covered. */
  const guided = $derived(
    c.counts.approved + c.counts.waived + c.counts.ready
      ? undefined
      : c.rows.find((r) => r.shot && !r.appearance!.covered && readyShots.has(r.shot.id)),
  );
  /** Sources of several shots go out as one file; of many such, each from its own page. */
  const masters = $derived.by(() => {
    const cut = p?.sources.filter((s) => (p?.shots.filter((h) => h.source === s.id).length ?? 0) > 1) ?? [];
    return cut.length > 2 ? [] : cut;
  });
  const done = $derived(c.rows.length ? Math.round((100 * (c.counts.approved + c.counts.waived)) / c.rows.length) : 0);

  /** Keys of the list, while nothing is typed. */
  function press(e: KeyboardEvent) {
    const t = e.target as HTMLElement;
    if (e.key === 'Escape' && t === search) return search!.blur();
    if (
      e.ctrlKey ||
      e.metaKey ||
      e.altKey ||
      t.closest('input:not([type=checkbox]),select,textarea,dialog,button,a[href]') ||
      file ||
      editing ||
      asking
    )
      return;
    const row = c.rows.find((r) => r.key === c.at);
    const keys: Record<string, () => unknown> = {
      ArrowDown: () => c.move(1),
      ArrowUp: () => c.move(-1),
      PageDown: () => c.move(12),
      PageUp: () => c.move(-12),
      ' ': () => c.at && c.pick(c.at),
      Enter: () => row?.shot && route.go(`/shots/${row.shot.id}?item=${row.item.id}`),
      '/': () => search?.focus(),
      e: () => row && (editing = row),
      n: () => (editing = 'new'),
      r: () => c.change({ state: 'ready' }),
      t: () => c.change({ state: 'work' }),
      w: () => c.meant.length && ((asking = 'waived'), (note = '')),
    };
    const k = keys[e.key];
    if (!k) return;
    e.preventDefault();
    k();
  }
  async function noted(e: Event) {
    e.preventDefault();
    const state = asking as 'waived' | 'back';
    asking = '';
    await c.change({ state, note });
  }

  const sourceOf = (shot: { source: string }) => p!.sources.find((s) => s.id === shot.source)!;

  async function fromMedia(path: string) {
    bringing = path;
    try {
      const name = path.split('/').slice(-2).join(' – ');
      await ask(api.POST('/api/programmes/{id}/sources', { params: { path: { id } }, body: { media: path, name } }));
      error = '';
    } catch (e) {
      error = (e as Error).message;
    }
    bringing = '';
    await load();
  }

  async function change(name: string, settledOnly: boolean) {
    try {
      await ask(api.PUT('/api/programmes/{id}', { params: { path: { id } }, body: { name, settledOnly } }));
    } catch (e) {
      error = (e as Error).message;
    }
    await load();
  }

  async function showMedia() {
    try {
      media = media ? undefined : await ask(api.GET('/api/media'));
    } catch (e) {
      error = (e as Error).message;
    }
  }

  function chosen(e: Event) {
    const input = e.currentTarget as HTMLInputElement;
    for (const f of input.files ?? []) void uploads.start(id, f);
    input.value = '';
  }

  async function checkAll() {
    try {
      await ask(api.POST('/api/programmes/{id}/check', { params: { path: { id } }, body: {} }));
    } catch (e) {
      error = (e as Error).message;
    }
  }

  const goesOn = 'Choose the same file again and it goes on from there.';
  const pct = (a: number, b: number) => Math.round((100 * a) / Math.max(b, 1));
</script>

<div class="min-h-full">
  <main class="mx-auto flex max-w-6xl flex-col gap-5 px-6 py-5">
    <header class="flex items-baseline gap-3">
      <a class="quiet hover:underline" href="/" onclick={route.follow}>Programmes</a>
      <h1 class="text-[28px] font-semibold">{p?.name ?? ''}</h1>
      <span class="quiet"
        >{p && c.list
          ? `${counted(p.shots.length, 'shot', 'shots')}, ${counted(c.list.items.length, 'item', 'items')}`
          : ''}</span
      >
      <span class="ml-auto flex items-center"><WorkButton /><LookButton /></span>
      <label class="quiet flex items-center gap-1"
        >You are <input
          class="input w-32 input-xs"
          aria-label="Your name"
          bind:value={who}
          onchange={() => (me.name = who)}
          maxlength="200"
        /></label
      >
      {#each masters as s (s.id)}
        <a class="btn btn-sm" href="/sources/{s.id}" title="Deliver {s.name}, as one file" onclick={route.follow}
          >{masters.length > 1 ? `Deliver ${s.name}` : 'Deliver'}</a
        >
      {/each}
      <a
        class="btn btn-sm"
        href="/proposals/{id}"
        onclick={route.follow}
        title="What was found and may have to be hidden">Proposals</a
      >
      <a class="btn btn-sm" href="/review/{id}" onclick={route.follow}
        >Review{c.counts.ready ? ` (${c.counts.ready})` : ''}</a
      >
      <div class="dropdown dropdown-end">
        <button class="btn btn-sm" aria-haspopup="menu">Report</button>
        <ul class="dropdown-content menu z-20 w-44 border border-base-300 bg-base-100 p-1" role="menu">
          <li role="none">
            <a role="menuitem" href="/api/programmes/{id}/report.html" target="_blank">To read and print</a>
          </li>
          <li role="none"><a role="menuitem" href="/api/programmes/{id}/report.pdf" download>As PDF</a></li>
          <li role="none"><a role="menuitem" href="/api/programmes/{id}/report.csv" download>As CSV</a></li>
        </ul>
      </div>
    </header>
    {#if error || c.error}<p class="text-error" role="alert">{error || c.error}</p>{/if}
    {#if p && c.list}
      <FirstSteps
        shots={p.shots}
        ready={(shot) => readyShots.has(shot)}
        items={c.list.items.length}
        covered={c.list.appearances.some((a) => a.covered)}
        onmaster={() => document.getElementById('upload')?.click()}
        onlist={() => document.getElementById('import')?.click()}
      />
      {#if p.shots.length}<MasterBand programme={p} list={c.list} />{/if}
      {#if guided}<a
          class="flex items-baseline gap-2 self-start border border-base-300 px-3 py-1.5 hover:bg-base-200"
          href="/shots/{guided.shot!.id}?item={guided.item.id}&guide=1"
          onclick={route.follow}
          data-testid="guided"
          ><span class="font-semibold">A first job, in five minutes</span><span class="quiet"
            >{guided.item.name} in {guided.shot!.name}</span
          ></a
        >{/if}
      <Eyes {c} />
    {/if}

    <section class="flex flex-col gap-2" aria-labelledby="list-title">
      <div class="flex flex-wrap items-center gap-2">
        <h2 id="list-title" class="text-[20px] font-semibold">Clearance list</h2>
        <span
          class="quiet mr-auto"
          role="progressbar"
          aria-label="Approved or waived"
          aria-valuenow={done}
          aria-valuemin="0"
          aria-valuemax="100">{done} % done</span
        >
        <button class="btn btn-sm" onclick={checkAll}>Check all</button>
        <label class="btn btn-sm"
          >Import CSV<input
            type="file"
            accept=".csv,text/csv"
            class="sr-only"
            id="import"
            data-testid="import-file"
            onchange={(e) => ((file = e.currentTarget.files?.[0]), (e.currentTarget.value = ''))}
          /></label
        >
        <a class="btn btn-sm" href="/api/programmes/{id}/list.csv" download>Export CSV</a>
        <button class="btn btn-sm" onclick={() => (editing = 'new')}>New item</button>
      </div>
      {#if c.rows.length}<StateBar
          count={(s) => c.counts[s]}
          chosen={c.state}
          onchoose={(s) => ((c.state = c.state === s ? 'all' : s), c.narrowed())}
        />{/if}
      <div class="flex flex-wrap items-center gap-2">
        <input
          bind:this={search}
          class="input w-56 input-sm"
          type="search"
          placeholder="Search the list (/)"
          aria-label="Search the list"
          bind:value={c.query}
          oninput={() => c.narrowed()}
        />
        <select class="select w-36 select-sm" aria-label="State" bind:value={c.state} onchange={() => c.narrowed()}
          ><option value="all">All states</option><option value="open">Not done</option>{#each order as s (s)}<option
              value={s}>{states[s].name}</option
            >{/each}</select
        >
        <select class="select w-36 select-sm" aria-label="Kind" bind:value={c.kind} onchange={() => c.narrowed()}
          ><option value="">All kinds</option>{#each Object.entries(kinds) as [k, t] (k)}<option value={k}>{t}</option
            >{/each}</select
        >
        {#if c.people.length}<select
            class="select w-36 select-sm"
            aria-label="Assigned to"
            bind:value={c.who}
            onchange={() => c.narrowed()}
            ><option value="">Anybody’s</option><option value="-">Nobody’s</option>{#each c.people as w (w)}<option
                >{w}</option
              >{/each}</select
          >{/if}
        <span class="quiet" data-testid="shown">{c.shown.length} of {c.rows.length}</span>
        {#if c.picked.size || c.at}
          <span class="ml-auto flex items-center gap-1" data-testid="bulk">
            <span class="quiet">{c.picked.size ? `${c.picked.size} picked:` : 'The row:'}</span>
            <button class="btn btn-xs" onclick={() => c.change({ state: 'work' })} title="T">In work</button>
            <button class="btn btn-xs" onclick={() => c.change({ state: 'ready' })} title="R">Ready</button>
            <button class="btn btn-xs" onclick={() => ((asking = 'waived'), (note = ''))} title="W">Waive</button>
            <input
              class="input w-28 input-xs"
              placeholder="Assign to"
              aria-label="Assign to"
              list="people"
              onchange={(e) => (c.change({ assignee: e.currentTarget.value }), (e.currentTarget.value = ''))}
            />
            <datalist id="people"
              >{#each c.people as w (w)}<option>{w}</option>{/each}</datalist
            >
          </span>
        {/if}
      </div>
      {#if asking}
        <form class="flex items-center gap-2" onsubmit={noted}>
          <!-- svelte-ignore a11y_autofocus -->
          <input
            class="input flex-1 input-sm"
            aria-label="Why it is waived"
            placeholder="Why it needs no cover"
            bind:value={note}
            required
            maxlength="2000"
            autofocus
            onkeydown={(e) => e.key === 'Escape' && (asking = '')}
          />
          <button class="btn btn-primary btn-sm">Waive {c.meant.length}</button><button
            type="button"
            class="btn btn-sm"
            onclick={() => (asking = '')}>Cancel</button
          >
        </form>
      {/if}
      {#if c.refused.length}
        <div class="flex items-start gap-2 border-l-4 border-error pl-3" role="alert" data-testid="refused">
          <ul class="max-h-32 flex-1 overflow-auto">
            {#each c.refused as r, i (i)}<li>{r.name}: {r.why}</li>{/each}
          </ul>
          <button class="btn btn-xs" onclick={() => (c.refused = [])}>Read</button>
        </div>
      {/if}
      <ListRows {c} edit={(r) => (editing = r)} stills={(shot) => readyShots.has(shot)} />
    </section>

    <section class="flex flex-col gap-2">
      <div class="flex items-center gap-2">
        <h2 class="mr-auto text-[20px] font-semibold">Shots</h2>
        <label class="btn btn-sm">
          <UploadIcon size={15} /> Upload clips
          <input
            type="file"
            multiple
            accept="video/*,.mkv,.mxf,.ts,.nut,.y4m,.dv"
            class="sr-only"
            onchange={chosen}
            id="upload"
            data-testid="upload"
          />
        </label>
        <button class="btn btn-sm" onclick={showMedia} aria-expanded={!!media}
          ><FolderOpen size={15} /> From the media folder</button
        >
      </div>

      {#each uploads.unfinished as u (u.name + u.size)}
        <p class="flex items-center gap-3 border border-base-300 px-3 py-2">
          <span>
            {u.name}: the upload was interrupted at {pct(u.sent, u.size)} %.
            {goesOn}
          </span>
          <button class="btn ml-auto btn-xs" onclick={() => uploads.forget(u)}>Forget it</button>
        </p>
      {/each}
      {#each uploads.list as g (g.name + g.size)}
        <div class="flex items-center gap-3 border border-base-300 px-3 py-2" data-testid="upload-row">
          <span class="w-64 truncate">{g.name}</span>
          {#if g.state === 'failed'}
            <span class="text-error" role="alert">{g.error}</span>
            {#if g.whole}<button class="btn ml-auto btn-xs" onclick={() => uploads.bringIn(g)}>Try again</button>{/if}
            <button class="btn btn-xs {g.whole ? '' : 'ml-auto'}" onclick={() => uploads.dismiss(g)}>Dismiss</button>
          {:else}
            <progress
              class="progress flex-1 progress-primary"
              value={g.sent}
              max={g.size}
              aria-label="Upload of {g.name}"
            ></progress>
            <span class="tc"
              >{g.state === 'checking' ? 'checking' : `${pct(g.sent, g.size)} % of ${bytes(g.size)}`}</span
            >
            {#if g.state === 'sending'}<button class="btn btn-xs" onclick={() => uploads.stop(g)}>Stop</button>
            {:else if g.state === 'stopped'}<button class="btn btn-xs" onclick={() => uploads.resume(g)}>Go on</button
              >{/if}
          {/if}
        </div>
      {/each}

      {#if media}
        <ul class="max-h-64 divide-y divide-base-300 overflow-auto border border-base-300" data-testid="media">
          {#each media as f (f.path)}
            <li class="flex items-center gap-3 px-3 py-1.5">
              <span class="tc truncate">{f.path}</span>
              <span class="quiet ml-auto whitespace-nowrap">{bytes(f.size)}</span>
              <button class="btn btn-xs" disabled={bringing !== ''} onclick={() => fromMedia(f.path)}
                >{bringing === f.path ? 'Looking at it' : 'Bring in'}</button
              >
            </li>
          {:else}
            <li class="quiet px-3 py-2">The media folder has no clips. Put files there, or upload them.</li>
          {/each}
        </ul>
      {/if}

      <Drawings programme={id} />
      {#if p}<Shots {id} programme={p} list={c.list} onchanged={load} onerror={(words) => (error = words)} />{/if}
    </section>

    <Styles programme={id} />

    {#if p?.shots.length}
      <section class="flex flex-col gap-2">
        <div class="flex items-center gap-4">
          <h2 class="mr-auto text-[20px] font-semibold">Deliveries</h2>
          <label
            class="flex items-center gap-2"
            title="Refuse deliveries with open severe findings or unsettled entries, but for review"
            ><input
              type="checkbox"
              class="checkbox checkbox-sm"
              checked={p.settledOnly}
              onchange={(e) => void change(p!.name, e.currentTarget.checked)}
            /> Let out only what is settled</label
          >
          <button class="btn btn-sm" onclick={() => (delivering = true)}>Deliver shots</button>
        </div>
        {#if p.deliveries.length}<Deliveries list={p.deliveries} shots={p.shots} />
        {:else}<p class="quiet">Nothing was delivered yet.</p>{/if}
      </section>
    {/if}
  </main>
</div>

<svelte:window onkeydown={press} />
{#if file}<ImportList
    programme={id}
    {file}
    onclose={() => (file = undefined)}
    done={() => (void c.load(), void load())}
  />{/if}
{#if delivering && p}<DeliverShots {p} onclose={() => (delivering = false)} />{/if}
{#if editing}<EditItem {c} row={editing === 'new' ? undefined : editing} onclose={() => (editing = undefined)} />{/if}
