<script lang="ts">
  import { onMount } from 'svelte';
  import { api, ask, listen, type Programme } from '../api/api';
  import { counted } from '../shared/format';
  import LookButton from '../shared/LookButton.svelte';
  import WorkButton from '../shared/WorkButton.svelte';
  import { route } from '../shared/route.svelte';
  import Drafts from './Drafts.svelte';
  import GroupCard from './GroupCard.svelte';
  import Marks from './Marks.svelte';
  import Offers from './Offers.svelte';
  import Runs from './Runs.svelte';
  import { headings, Proposals, type Shown } from './proposals.svelte';

  let { id }: { id: string } = $props();
  // svelte-ignore state_referenced_locally
  const c = new Proposals(id);
  let p = $state.raw<Programme>();
  let search = $state<HTMLInputElement>();
  let asking = $state<'' | 'item' | 'reason'>('');

  let later: ReturnType<typeof setTimeout> | undefined;
  onMount(() => {
    const load = () => {
      void ask(api.GET('/api/programmes/{id}', { params: { path: { id } } })).then((v) => (p = v));
      void c.load();
    };
    load();
    const stop = listen((kind) => {
      if (!['all', 'source', 'proposals', 'programme'].includes(kind)) return;
      clearTimeout(later);
      later = setTimeout(load, 300);
    });
    return () => (stop(), clearTimeout(later));
  });

  const sizes = [0, 14, 24, 40];
  let rows = $state<HTMLElement>();
  $effect(() => {
    rows?.querySelector(`[data-at="${c.at}"]`)?.scrollIntoView({ block: 'nearest' });
  });

  function press(e: KeyboardEvent) {
    const t = e.target as HTMLElement;
    if (e.key === 'Escape' && t === search) return search!.blur();
    if (e.ctrlKey || e.metaKey || e.altKey || asking || t.closest('input:not([type=checkbox]),select,textarea')) return;
    // What has the focus is pressed by these.
    if ((e.key === 'Enter' || e.key === ' ') && t.closest('button:not([data-testid=group]),a[href],input')) return;
    const keys: Record<string, () => unknown> = {
      ArrowDown: () => c.move(1),
      ArrowUp: () => c.move(-1),
      PageDown: () => c.move(8),
      PageUp: () => c.move(-8),
      '/': () => search?.focus(),
      a: () => c.accept(c.group?.asked),
      b: () => c.group && (asking = 'item'),
      n: () => c.judge('unneeded', { forget: true }),
      r: () => c.group && (asking = 'reason'),
      l: () => c.judge('later'),
      u: () => c.back(),
      Enter: () => open(),
    };
    const k = keys[e.key];
    if (!k) return;
    e.preventDefault();
    k();
  }
  /** The bench, at the frame on which it is seen best. */
  function open() {
    const r = c.meant[0];
    const shot = c.list?.shots.find((s) => s.id === r?.in);
    if (r && shot) route.go(`/shots/${shot.id}?frame=${r.frame - shot.first}`);
  }
</script>

<svelte:window onkeydown={press} />

<div class="flex h-full min-h-0 flex-col">
  <header class="mx-auto flex w-full max-w-6xl items-baseline gap-3 px-6 pt-5">
    <a class="quiet hover:underline" href="/programmes/{id}" onclick={route.follow}>{p?.name ?? 'Programme'}</a>
    <h1 class="text-[28px] font-semibold">Proposals</h1>
    <span class="quiet" data-testid="open-proposals">{c.list ? counted(c.counts.open, 'is open', 'are open') : ''}</span
    >
    <span class="quiet min-w-0 flex-1 truncate text-right" role="status">{c.said}</span>
    <span class="flex items-center"><WorkButton /><LookButton /></span>
    <Marks {c} />
    <Offers {c} />
  </header>
  <div class="mx-auto flex w-full max-w-6xl flex-col gap-2 px-6 py-2">
    {#if c.error}<p class="text-error" role="alert">{c.error}</p>{/if}
    {#if c.list}<div class="flex items-start gap-2">
        <div class="min-w-0 flex-1"><Runs {c} sources={p?.sources ?? []} /></div>
        <Drafts {c} />
      </div>{/if}
    <div class="flex flex-wrap items-center gap-2">
      <div class="join" role="group" aria-label="Which are shown">
        {#each Object.entries(headings) as [k, t] (k)}
          {#if k !== 'rest' || c.counts.rest}
            <button
              class="btn join-item btn-sm {c.shown === k ? 'btn-active' : ''}"
              aria-pressed={c.shown === k}
              onclick={() => ((c.shown = k as Shown), c.narrowed())}
              >{t} <span class="quiet">{c.counts[k as Shown]}</span></button
            >
          {/if}
        {/each}
      </div>
      <input
        bind:this={search}
        class="input w-44 input-sm"
        type="search"
        placeholder="What it reads (/)"
        aria-label="What it reads"
        bind:value={c.query}
        oninput={() => c.narrowed()}
      />
      <select class="select w-36 select-sm" aria-label="Kind" bind:value={c.kind} onchange={() => c.narrowed()}
        ><option value="">All kinds</option>{#each c.kinds as [k, n] (k)}<option value={k}
            >{c.list?.titles[k]} ({n})</option
          >{/each}</select
      >
      <select class="select w-36 select-sm" aria-label="Size" bind:value={c.least} onchange={() => c.narrowed()}
        >{#each sizes as s (s)}<option value={s}>{s ? `${s} px and more` : 'All sizes'}</option>{/each}</select
      >
      {#if (c.list?.shots.length ?? 0) > 1}<select
          class="select w-40 select-sm"
          aria-label="Shot"
          bind:value={c.shot}
          onchange={() => c.narrowed()}
          ><option value="">All shots</option>{#each c.list!.shots as s (s.id)}<option value={s.id}>{s.name}</option
            >{/each}</select
        >{/if}
      {#if c.last.length}<button class="btn ml-auto btn-sm" onclick={() => c.back()} title="U">Take it back</button
        >{/if}
    </div>
  </div>
  <main class="mx-auto grid min-h-0 w-full max-w-6xl flex-1 grid-cols-[minmax(0,5fr)_minmax(0,6fr)] gap-4 px-6 pb-5">
    <ul class="min-h-0 overflow-auto border border-base-300" bind:this={rows} aria-label="Groups">
      {#each c.groups.slice(0, c.limit) as g, i (g.key)}
        <li data-at={i}>
          <button
            class="flex w-full items-center gap-3 border-l-4 px-2 py-1 text-left hover:bg-base-200 {i === c.at
              ? 'border-primary bg-base-200'
              : 'border-transparent'}"
            aria-current={i === c.at}
            onclick={() => ((c.at = i), (c.picked = new Set()))}
            data-testid="group"
          >
            <span class="flex h-10 w-28 shrink-0 items-center justify-center bg-black"
              ><img class="max-h-10 max-w-28" src="/api/proposals/{g.key}/still" alt="" loading="lazy" /></span
            >
            <span class="min-w-0 flex-1">
              <span class="block truncate font-semibold">{c.title(g)}</span>
              <span class="quiet block truncate text-[12px]"
                >{c.list!.titles[g.kind]}, {Math.round(g.height)} px{g.rows.length > 1
                  ? `, ${g.rows.length} times in ${counted(g.shots, 'shot', 'shots')}`
                  : ''}</span
              >
            </span>
            {#if g.asked}<span class="badge shrink-0 badge-sm badge-primary" title="The clearance list asks for it"
                >On the list</span
              >{/if}
          </button>
        </li>
      {:else}
        <li class="quiet p-4">
          {#if !c.list}Loading{:else if c.list.proposals.length}Nothing here{c.shown === 'open' && c.counts.open
              ? ' by these filters'
              : ''}.{:else if c.list.absent}{c.list.absent}{:else if c.list.runs.some((r) => r.state !== 'done')}What is
            found comes here while the sources are looked through.{:else if c.list.runs.length}Nothing was found.{:else}
            Nothing was looked for yet. Look through the programme for text, plates and faces.{/if}
        </li>
      {/each}
    </ul>
    <GroupCard {c} bind:asking onopen={open} />
  </main>
</div>
