<script lang="ts">
  import { onMount } from 'svelte';
  import { api, ask, listen, type Source } from '../api/api';
  import { bytes } from '../shared/format';
  import LookButton from '../shared/LookButton.svelte';
  import WorkButton from '../shared/WorkButton.svelte';
  import { route } from '../shared/route.svelte';
  import Boundaries from './Boundaries.svelte';
  import DeliverMaster from './DeliverMaster.svelte';

  let { id }: { id: string } = $props();
  let s = $state.raw<Source>();
  let error = $state('');

  async function load() {
    try {
      s = await ask(api.GET('/api/sources/{id}', { params: { path: { id } } }));
    } catch (e) {
      error = (e as Error).message;
    }
  }
  async function retry(asIs: boolean) {
    try {
      await ask(api.POST('/api/sources/{id}/retry', { params: { path: { id }, query: { asIs } } }));
    } catch (e) {
      error = (e as Error).message;
    }
    await load();
  }
  onMount(() => {
    void load();
    return listen((kind, what) => {
      if (kind === 'all' || what === id) void load();
    });
  });
  type Sound = Source['info']['sound'][number];
  const sound = (a: Sound) =>
    [a.title, a.language, a.codec, `${a.channels} channels`, `${a.rate} Hz`].filter(Boolean).join(', ');
  /** ffmpeg's names begin with the field that is shown first. */
  const fields: Record<string, string> = { t: 'interlaced, top field first', b: 'interlaced, bottom field first' };
  const facts = $derived.by<[string, string][]>(() => {
    if (!s) return [];
    const i = s.info;
    const or = (t: string) => t || 'not tagged';
    return [
      ['Picture', `${i.width}×${i.height}, ${i.codec}, ${i.pixFmt}, ${i.depth} bit`],
      ['Frames', `${s.frames} at ${(i.rate.num / i.rate.den).toFixed(3)} a second, ${i.duration.toFixed(2)} s`],
      ['Start timecode', i.timecode || 'none; counted from 00:00:00:00'],
      [
        'Colour',
        `matrix ${or(i.tags.space)}, primaries ${or(i.tags.primaries)}, transfer ${or(i.tags.transfer)}, ` +
          `${i.range === 'pc' ? 'full' : 'limited'} range`,
      ],
      ['Pixel aspect', `${i.pixel.num}:${i.pixel.den}`],
      ['Fields', fields[i.field[0] ?? ''] ?? 'none: progressive'],
      ['Sound', i.sound?.length ? i.sound.map(sound).join('; ') : 'none'],
      ['File', `${i.container}, ${bytes(i.size)}`],
    ];
  });
</script>

<div class="min-h-full">
  <main class="mx-auto flex max-w-3xl flex-col gap-4 px-6 py-5">
    <header class="flex items-baseline gap-3">
      <button class="quiet hover:underline" onclick={() => history.back()}>Back</button>
      <h1 class="text-[28px] font-semibold">{s?.name ?? 'Source'}</h1>
      <span class="ml-auto flex items-center"><WorkButton /><LookButton /></span>
    </header>
    {#if error}<p class="text-error" role="alert">
        {error} <a class="underline" href="/" onclick={route.follow}>Go to the programmes</a>
      </p>{/if}
    {#if s?.error}<p class="text-error" role="alert">{s.error}</p>{/if}
    {#if s?.state === 'failed'}
      <div class="flex items-center gap-3">
        <button class="btn btn-sm" onclick={() => void retry(false)}>Try again</button>
        {#if s.damage}
          <button class="btn btn-sm" onclick={() => void retry(true)}>Take it as it is</button>
          <span class="quiet">With what pictures can be read. Damaged ones are listed, here and in the report.</span>
        {/if}
      </div>
    {/if}
    {#if s?.notes.length}
      <ul class="flex flex-col gap-1 border border-base-300 bg-base-200 p-3" data-testid="notes">
        {#each s.notes as n (n)}<li>{n}</li>{/each}
      </ul>
    {/if}
    <dl class="grid grid-cols-[10rem_1fr] gap-y-1">
      {#each facts as [k, v] (k)}<dt class="quiet">{k}</dt>
        <dd>{v}</dd>{/each}
    </dl>
    {#if s && s.state !== 'ready' && s.state !== 'failed'}
      <p>View frames: {s.views} of {s.frames}</p>
      {#if s.waiting}<p role="status">{s.waiting}</p>{/if}
    {/if}
    {#if s?.state === 'ready' && s.frames > 1}
      <DeliverMaster {s} />
      <Boundaries {s} />
    {/if}
  </main>
</div>
