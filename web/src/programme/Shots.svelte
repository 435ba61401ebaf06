<script lang="ts">
  // The shots of a programme, in the order of the master, of the list, or as they were moved.
  import ArrowLeft from '@lucide/svelte/icons/arrow-left';
  import ArrowRight from '@lucide/svelte/icons/arrow-right';
  import { api, ask, type List, type Programme, type Source } from '../api/api';
  import { route } from '../shared/route.svelte';

  interface Props {
    id: string;
    programme: Programme;
    list: List | undefined;
    onchanged: () => void;
    onerror: (words: string) => void;
  }
  let { id, programme, list, onchanged, onerror }: Props = $props();
  let lots = $state(24); // shots shown
  const pct = (a: number, b: number) => Math.round((100 * a) / Math.max(b, 1));
  const rate = (s: Source) => (s.info.rate.num / s.info.rate.den).toFixed(2).replace('.00', '');
  const sourceOf = (shot: { source: string }) => programme.sources.find((s) => s.id === shot.source)!;

  /** The order that was asked for and is not known to be kept. */
  let asked = $state.raw<string[]>();
  const shown = $derived.by(() => {
    const at = new Map((asked ?? []).map((s, i) => [s, i]));
    return asked ? programme.shots.toSorted((a, b) => at.get(a.id)! - at.get(b.id)!) : programme.shots;
  });
  $effect(() => {
    void programme;
    asked = undefined;
  });

  async function order(shots: string[]) {
    if (shots.length) asked = shots;
    try {
      await ask(api.PUT('/api/programmes/{id}/shot-order', { params: { path: { id } }, body: { shots } }));
    } catch (e) {
      asked = undefined;
      onerror((e as Error).message);
    }
    onchanged();
  }
  /** Shots as their items stand in the list, the first of each deciding. */
  function asListed() {
    const at = new Map((list?.items ?? []).map((i, n) => [i.id, n]));
    const first = new Map<string, number>();
    for (const a of list?.appearances ?? [])
      first.set(a.shot, Math.min(first.get(a.shot) ?? Infinity, at.get(a.item) ?? Infinity));
    const place = (s: { id: string }) => first.get(s.id) ?? Infinity;
    void order(programme.shots.toSorted((a, b) => place(a) - place(b) || 0).map((s) => s.id));
  }
  let dragged = $state('');
  let over = $state('');
  async function put(shot: string, onto: string) {
    dragged = over = '';
    const ids = shown.map((s) => s.id);
    const to = ids.indexOf(onto);
    if (!shot || to < 0) return;
    ids.splice(ids.indexOf(shot), 1);
    ids.splice(to, 0, shot);
    await order(ids);
  }
  const step = (shot: string, by: number) => put(shot, shown[shown.findIndex((s) => s.id === shot) + by]!.id);

  async function remove(s: Source) {
    const what =
      s.state === 'failed'
        ? `Take ${s.name} out of the programme?`
        : `Take ${s.name} and its shots with all covers out of the programme?`;
    if (!confirm(`${what} An uploaded file is deleted; a file in the media folder stays.`)) return;
    try {
      await ask(api.DELETE('/api/sources/{id}', { params: { path: { id: s.id } } }));
    } catch (e) {
      onerror((e as Error).message);
    }
    onchanged();
  }

  async function retry(s: Source, asIs = false) {
    try {
      await ask(api.POST('/api/sources/{id}/retry', { params: { path: { id: s.id }, query: { asIs } } }));
      onerror('');
    } catch (e) {
      onerror((e as Error).message);
    }
    onchanged();
  }
</script>

{#if shown.length > 1}
  <div class="quiet flex items-center gap-2 text-[12px]" role="group" aria-label="Order of the shots">
    Order them
    <button class="btn btn-xs" onclick={() => void order([])}>as in the master</button>
    <button class="btn btn-xs" disabled={!list?.items.length} onclick={asListed}>as in the list</button>
    or drag one.
  </div>
{/if}
<ul class="grid grid-cols-3 gap-4">
  {#each shown.slice(0, lots) as shot (shot.id)}
    {@const s = sourceOf(shot)}
    <li
      class="flex flex-col border bg-base-200 {over === shot.id ? 'border-primary' : 'border-base-300'} {dragged ===
      shot.id
        ? 'opacity-50'
        : ''}"
      data-testid="shot"
      draggable="true"
      ondragstart={(e) => {
        dragged = shot.id;
        e.dataTransfer!.effectAllowed = 'move';
        e.dataTransfer!.setData('text/plain', shot.name);
      }}
      ondragover={(e) => {
        if (!dragged || dragged === shot.id) return;
        e.preventDefault();
        over = shot.id;
      }}
      ondragleave={() => over === shot.id && (over = '')}
      ondrop={(e) => (e.preventDefault(), void put(dragged, shot.id))}
      ondragend={() => (dragged = over = '')}
    >
      <a
        href={s.state === 'failed' ? `/sources/${s.id}` : `/shots/${shot.id}`}
        onclick={route.follow}
        class="block aspect-video overflow-hidden bg-[#1c1c1c]"
        aria-label="Open {shot.name}"
      >
        {#if s.state !== 'failed' && s.views > shot.first + Math.min(20, shot.frames - 1)}
          <img
            class="h-full w-full object-contain"
            alt=""
            loading="lazy"
            src="/api/sources/{s.id}/views/{shot.first + Math.min(20, shot.frames - 1)}.jpg?near=true"
          />
        {/if}
      </a>
      <div class="flex flex-1 flex-col gap-1 p-3">
        <div class="flex items-baseline gap-2">
          <a class="truncate text-base font-semibold hover:underline" href="/shots/{shot.id}" onclick={route.follow}
            >{shot.name}</a
          >
        </div>
        <div class="quiet">
          {#if s.state === 'failed'}
            <span class="text-error" role="alert">{s.error}</span>
          {:else}
            <span class="tc"
              >{s.info.width}×{s.info.height} · {rate(s)} · {shot.frames}
              f</span
            >
          {/if}
        </div>
        {#if s.waiting}<p class="text-[12px]" role="status" data-testid="waiting">{s.waiting}</p>{/if}
        {#if s.state !== 'ready' && s.state !== 'failed'}
          <div class="flex items-center gap-2">
            <progress
              class="progress progress-primary"
              value={s.views}
              max={s.frames}
              aria-label="View frames of {shot.name}"
            ></progress>
            <span class="tc whitespace-nowrap"
              >{s.state === 'conforming' ? 'conforming' : `${pct(s.views, s.frames)} %`}</span
            >
          </div>
        {/if}
        <div class="mt-auto flex items-center gap-3 pt-1">
          {#if shown.length > 1}<span class="flex">
              <button
                class="btn btn-square btn-ghost btn-xs"
                aria-label="{shot.name} earlier"
                title="Earlier; or drag it"
                disabled={shot === shown[0]}
                onclick={() => void step(shot.id, -1)}><ArrowLeft size={13} /></button
              ><button
                class="btn btn-square btn-ghost btn-xs"
                aria-label="{shot.name} later"
                title="Later; or drag it"
                disabled={shot === shown.at(-1)}
                onclick={() => void step(shot.id, 1)}><ArrowRight size={13} /></button
              ></span
            >{/if}
          <a class="quiet hover:underline" href="/sources/{s.id}" onclick={route.follow}
            >About the source{s.notes.length ? ` (${s.notes.length})` : ''}</a
          >
          {#if s.state === 'failed'}
            {#if s.damage}<button
                class="ml-auto text-primary hover:underline"
                title="With what pictures can be read; those that are damaged are listed, here and in the report"
                onclick={() => retry(s, true)}>Take it as it is</button
              >{/if}
            <button class="quiet {s.damage ? '' : 'ml-auto'} hover:underline" onclick={() => retry(s)}>Try again</button
            >
          {/if}
          <button class="quiet {s.state === 'failed' ? '' : 'ml-auto'} hover:underline" onclick={() => remove(s)}
            >Remove</button
          >
        </div>
      </div>
    </li>
  {:else}
    <li class="quiet col-span-3">
      No shots yet. Upload clips or bring them in from the media folder; each becomes a shot.
    </li>
  {/each}
</ul>
{#if shown.length > lots}<button class="btn self-start btn-sm" onclick={() => (lots += 96)}
    >{shown.length - lots} more shots</button
  >{/if}
