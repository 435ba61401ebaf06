<script lang="ts">
  import { onMount } from 'svelte';
  import FolderOpen from '@lucide/svelte/icons/folder-open';
  import UploadIcon from '@lucide/svelte/icons/upload';
  import { api, ask, listen, type MediaFile, type Programme, type Source } from '../lib/api';
  import { bytes, kinds } from '../lib/format';
  import { route } from '../lib/route.svelte';
  import { uploads } from '../lib/uploads.svelte';
  import Deliveries from './Deliveries.svelte';
  import Styles from './Styles.svelte';

  let { id }: { id: string } = $props();
  let p = $state.raw<Programme>();
  let error = $state('');
  let media = $state<MediaFile[]>();
  let bringing = $state('');

  async function load() {
    try {
      p = await ask(api.GET('/api/programmes/{id}', { params: { path: { id } } }));
      error = '';
    } catch (e) {
      error = (e as Error).message;
    }
  }
  onMount(() => {
    void load();
    return listen(() => void load());
  });

  const sourceOf = (shot: { source: string }) => p!.sources.find((s) => s.id === shot.source)!;
  const brought = $derived(new Set(p?.sources.map((s) => s.name)));

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

  async function remove(s: Source) {
    if (s.state !== 'failed' && !confirm(`Take ${s.name} and its shot with all covers out of the programme? The file in the media folder stays.`)) return;
    try {
      await ask(api.DELETE('/api/sources/{id}', { params: { path: { id: s.id } } }));
    } catch (e) {
      error = (e as Error).message;
    }
    await load();
  }

  const pct = (a: number, b: number) => Math.round((100 * a) / Math.max(b, 1));
</script>

<div data-theme="celator-paper" style="min-height:100%">
  <main class="mx-auto flex max-w-5xl flex-col gap-5 px-6 py-5">
    <header class="flex items-baseline gap-3">
      <a class="quiet hover:underline" href="/" onclick={route.follow}>Programmes</a>
      <h1 class="text-2xl font-semibold">{p?.name ?? ''}</h1>
      <span class="quiet ml-auto">{p ? `${p.shots.length} shots, ${p.items.length} items` : ''}</span>
    </header>
    {#if error}<p class="text-error" role="alert">{error}</p>{/if}

    <section class="flex flex-col gap-2">
      <div class="flex items-center gap-2">
        <h2 class="mr-auto text-lg font-semibold">Shots</h2>
        <label class="btn btn-sm">
          <UploadIcon size={15} /> Upload clips
          <input type="file" multiple accept="video/*,.mkv,.mxf,.ts,.nut,.y4m,.dv" class="sr-only" onchange={chosen} data-testid="upload" />
        </label>
        <button class="btn btn-sm" onclick={showMedia} aria-expanded={!!media}><FolderOpen size={15} /> From the media folder</button>
      </div>

      {#each uploads.unfinished as u (u.name + u.size)}
        <p class="border-base-300 flex items-center gap-3 border px-3 py-2">
          <span>{u.name}: the upload was interrupted at {pct(u.sent, u.size)} %. Choose the same file again and it goes on from there.</span>
          <button class="btn btn-xs ml-auto" onclick={() => uploads.forget(u)}>Forget it</button>
        </p>
      {/each}
      {#each uploads.list as g (g.name + g.size)}
        <div class="border-base-300 flex items-center gap-3 border px-3 py-2" data-testid="upload-row">
          <span class="w-64 truncate">{g.name}</span>
          {#if g.state === 'failed'}
            <span class="text-error" role="alert">{g.error}</span>
            <button class="btn btn-xs ml-auto" onclick={() => uploads.dismiss(g)}>Dismiss</button>
          {:else}
            <progress class="progress progress-primary flex-1" value={g.sent} max={g.size} aria-label="Upload of {g.name}"></progress>
            <span class="tc">{g.state === 'checking' ? 'checking' : `${pct(g.sent, g.size)} % of ${bytes(g.size)}`}</span>
            {#if g.state === 'sending'}<button class="btn btn-xs" onclick={() => uploads.stop(g)}>Stop</button>
            {:else if g.state === 'stopped'}<button class="btn btn-xs" onclick={() => uploads.resume(g)}>Go on</button>{/if}
          {/if}
        </div>
      {/each}

      {#if media}
        <ul class="border-base-300 divide-base-300 max-h-64 divide-y overflow-auto border" data-testid="media">
          {#each media as f (f.path)}
            <li class="flex items-center gap-3 px-3 py-1.5">
              <span class="tc truncate">{f.path}</span>
              <span class="quiet ml-auto whitespace-nowrap">{bytes(f.size)}</span>
              <button class="btn btn-xs" disabled={bringing !== ''} onclick={() => fromMedia(f.path)}>{bringing === f.path ? 'Looking at it' : 'Bring in'}</button>
            </li>
          {:else}
            <li class="quiet px-3 py-2">The media folder has no clips. Put files there, or upload them.</li>
          {/each}
        </ul>
      {/if}

      <ul class="grid grid-cols-3 gap-4">
        {#each p?.shots ?? [] as shot (shot.id)}
          {@const s = sourceOf(shot)}
          {@const items = p!.items.filter((i) => i.shot === shot.id)}
          <li class="border-base-300 bg-base-200 flex flex-col border" data-testid="shot">
            <a href={s.state === 'failed' ? `/sources/${s.id}` : `/shots/${shot.id}`} onclick={route.follow} class="block aspect-video overflow-hidden bg-[#1c1c1c]" aria-label="Open {shot.name}">
              {#if s.state !== 'failed' && s.views > Math.min(20, s.frames - 1)}
                <img class="h-full w-full object-contain" alt="" src="/api/sources/{s.id}/views/{Math.min(20, s.frames - 1)}.jpg" />
              {/if}
            </a>
            <div class="flex flex-1 flex-col gap-1 p-3">
              <div class="flex items-baseline gap-2">
                <a class="truncate text-base font-semibold hover:underline" href="/shots/{shot.id}" onclick={route.follow}>{shot.name}</a>
              </div>
              <div class="quiet">
                {#if s.state === 'failed'}
                  <span class="text-error" role="alert">{s.error}</span>
                {:else}
                  <span class="tc">{s.info.width}×{s.info.height} · {(s.info.rate.num / s.info.rate.den).toFixed(2).replace('.00', '')} · {s.frames} f</span>
                {/if}
              </div>
              {#if s.state !== 'ready' && s.state !== 'failed'}
                <div class="flex items-center gap-2">
                  <progress class="progress progress-primary" value={s.views} max={s.frames} aria-label="View frames of {shot.name}"></progress>
                  <span class="tc whitespace-nowrap">{s.state === 'conforming' ? 'conforming' : `${pct(s.views, s.frames)} %`}</span>
                </div>
              {/if}
              <ul>
                {#each items as it (it.id)}
                  <li class="flex justify-between"><span>{it.name}</span><span class="quiet">{kinds[it.kind]}</span></li>
                {:else}
                  {#if s.state !== 'failed'}<li class="quiet">No items yet. Open the shot to add one.</li>{/if}
                {/each}
              </ul>
              <div class="mt-auto flex gap-3 pt-1">
                <a class="quiet hover:underline" href="/sources/{s.id}" onclick={route.follow}>About the source{s.notes.length ? ` (${s.notes.length})` : ''}</a>
                <button class="quiet ml-auto hover:underline" onclick={() => remove(s)}>{s.state === 'failed' ? 'Dismiss' : 'Take out'}</button>
              </div>
            </div>
          </li>
        {:else}
          {#if p}<li class="quiet col-span-3">No shots yet. Upload clips or bring them in from the media folder; each becomes a shot.</li>{/if}
        {/each}
      </ul>
    </section>

    <Styles programme={id} />

    {#if p?.deliveries.length}
      <section class="flex flex-col gap-2">
        <h2 class="text-lg font-semibold">Deliveries</h2>
        <Deliveries list={p.deliveries} shots={p.shots} />
      </section>
    {/if}
  </main>
</div>
