<script lang="ts">
  // House presets: made from one there is, tried, kept for all programmes, shared as files.
  import { api, ask, type Preset, type Recipe } from '../../api/api';

  interface Props {
    presets: Preset[];
    /** A preset was kept, or removed: which is to be chosen. */
    onsaved: (name: string) => void;
  }
  let { presets, onsaved }: Props = $props();
  const codecs: Record<Recipe['codec'], string> = {
    h264: 'H.264',
    'h264-intra': 'H.264 of keys',
    hevc: 'HEVC',
    mpeg2: 'MPEG-2 4:2:2',
    imx: 'IMX',
    'prores-proxy': 'ProRes Proxy',
    'prores-lt': 'ProRes LT',
    prores: 'ProRes 422',
    'prores-hq': 'ProRes 422 HQ',
    'prores-4444': 'ProRes 4444',
    'dnxhr-lb': 'DNxHR LB',
    'dnxhr-sq': 'DNxHR SQ',
    'dnxhr-hq': 'DNxHR HQ',
    'dnxhr-hqx': 'DNxHR HQX',
    'dnxhr-444': 'DNxHR 444',
    ffv1: 'FFV1, lossless',
    png: 'PNG, numbered',
    tiff: 'TIFF, numbered',
    dpx: 'DPX, numbered',
    none: 'Sound alone',
  };
  const samples = {
    '': 'The codec’s',
    '420p8': '4:2:0, 8 bit',
    '420p10': '4:2:0, 10 bit',
    '422p8': '4:2:2, 8 bit',
    '422p10': '4:2:2, 10 bit',
    '444p10': '4:4:4, 10 bit',
  };
  const sounds = { '': 'The container’s', aac: 'AAC', pcm16: 'PCM, 16 bit', pcm24: 'PCM, 24 bit' };
  const fresh: Recipe = { name: '', title: '', codec: 'h264', container: 'mp4' };
  let recipe = $state<Recipe>({ ...fresh });
  let said = $state('');
  let busy = $state(false);
  const house = $derived(presets.filter((p) => p.house));
  const plain = (title: string) =>
    title
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 40);

  /** What a recipe is, without what is said of it for a source. */
  function bare(p: Recipe): Recipe {
    const { name, title, codec, container, samples, quality, rate, sound, labels, timecode, mattes } = p;
    return { name, title, codec, container, samples, quality, rate, sound, labels, timecode, mattes };
  }
  /** Empty and nought are left out: the codec's own then holds. */
  const kept = (r: Recipe) => Object.fromEntries(Object.entries(r).filter(([, v]) => v)) as unknown as Recipe;

  async function save() {
    busy = true;
    said = 'Some pictures are written by it.';
    const r = kept({ ...recipe, name: recipe.name || plain(recipe.title) });
    try {
      await ask(api.PUT('/api/presets/{name}', { params: { path: { name: r.name } }, body: r }));
      said = `Tried and kept as ${r.name}.`;
      recipe.name = r.name;
      onsaved(r.name);
    } catch (e) {
      said = (e as Error).message;
    }
    busy = false;
  }
  async function remove() {
    try {
      await ask(api.DELETE('/api/presets/{name}', { params: { path: { name: recipe.name } } }));
      recipe = { ...fresh };
      said = 'Removed. Deliveries that were ordered by it go on.';
      onsaved('');
    } catch (e) {
      said = (e as Error).message;
    }
  }
  function pick(name: string) {
    const p = presets.find((x) => x.name === name);
    recipe = p ? bare(p) : { ...fresh };
    if (p && !p.house) Object.assign(recipe, { name: '', title: `${p.title}, house` });
    said = '';
  }
  async function read(e: Event) {
    const file = (e.currentTarget as HTMLInputElement).files?.[0];
    if (!file) return;
    try {
      recipe = bare(JSON.parse(await file.text()));
      said = 'Read. Save it to try and keep it.';
    } catch {
      said = 'This file is no preset.';
    }
  }
  const file = $derived(`data:application/json,${encodeURIComponent(JSON.stringify(kept(recipe), null, 2))}`);
</script>

<div class="flex flex-col gap-1.5 border border-base-300 p-2 text-[12px]" role="group" aria-label="House presets">
  <label class="flex items-center justify-between gap-2"
    ><span class="quiet">Begin with</span><select
      class="select w-64 select-xs"
      onchange={(e) => pick(e.currentTarget.value)}
    >
      <option value="">A new one</option>
      {#each [...house, ...presets.filter((p) => !p.house && p.name !== 'source')] as p (p.name)}<option value={p.name}
          >{p.title}{p.house ? ' (house)' : ''}</option
        >{/each}
    </select></label
  >
  <label class="flex items-center justify-between gap-2"
    ><span class="quiet">Title</span><input
      class="input w-64 input-xs"
      maxlength="120"
      bind:value={recipe.title}
    /></label
  >
  <div class="grid grid-cols-2 gap-x-3 gap-y-1.5">
    <label class="flex items-center justify-between gap-2"
      ><span class="quiet">Codec</span><select
        class="select w-32 select-xs"
        aria-label="Codec"
        bind:value={recipe.codec}
      >
        {#each Object.entries(codecs) as [k, t] (k)}<option value={k}>{t}</option>{/each}
      </select></label
    >
    <label class="flex items-center justify-between gap-2"
      ><span class="quiet">Container</span><select
        class="select w-32 select-xs"
        aria-label="Container"
        bind:value={recipe.container}
      >
        {#each ['mp4', 'mov', 'mxf', 'mkv', 'zip'] as const as c (c)}<option value={c}>{c.toUpperCase()}</option>{/each}
      </select></label
    >
    <label class="flex items-center justify-between gap-2"
      ><span class="quiet">Samples</span><select
        class="select w-32 select-xs"
        aria-label="Samples"
        bind:value={recipe.samples}
      >
        {#each Object.entries(samples) as [k, t] (k)}<option value={k || undefined}>{t}</option>{/each}
      </select></label
    >
    <label class="flex items-center justify-between gap-2"
      ><span class="quiet">Sound</span><select
        class="select w-32 select-xs"
        aria-label="Sound"
        bind:value={recipe.sound}
      >
        {#each Object.entries(sounds) as [k, t] (k)}<option value={k || undefined}>{t}</option>{/each}
      </select></label
    >
    <label class="flex items-center justify-between gap-2"
      ><span class="quiet">Mb/s</span><input
        class="tc input w-32 input-xs"
        type="number"
        min="0"
        max="1000"
        step="any"
        bind:value={recipe.rate}
      /></label
    >
    <label class="flex items-center justify-between gap-2"
      ><span class="quiet">Or quality</span><input
        class="tc input w-32 input-xs"
        type="number"
        min="0"
        max="40"
        step="any"
        title="Rate factor of H.264 and HEVC: the lower, the better"
        bind:value={recipe.quality}
      /></label
    >
    <label class="flex items-center gap-2"
      ><input type="checkbox" class="checkbox checkbox-xs" bind:checked={recipe.labels} /> Labels in the picture</label
    >
    <label class="flex items-center gap-2"
      ><input type="checkbox" class="checkbox checkbox-xs" bind:checked={recipe.timecode} /> Its timecode</label
    >
    {#if ['png', 'tiff', 'dpx'].includes(recipe.codec)}<label class="flex items-center gap-2"
        ><input type="checkbox" class="checkbox checkbox-xs" bind:checked={recipe.mattes} /> Mattes beside them</label
      >{/if}
  </div>
  <div class="flex items-center gap-1">
    <button type="button" class="btn btn-xs" disabled={busy || !recipe.title.trim()} onclick={() => void save()}
      >Try and save</button
    >
    {#if house.some((p) => p.name === recipe.name)}<button
        type="button"
        class="btn btn-xs"
        onclick={() => void remove()}>Delete</button
      >{/if}
    <a class="btn btn-xs" href={file} download="{recipe.name || plain(recipe.title) || 'preset'}.json">As a file</a>
    <label class="btn btn-xs"
      >From a file<input
        type="file"
        class="sr-only"
        accept=".json,application/json"
        onchange={(e) => void read(e)}
      /></label
    >
  </div>
  {#if said}<p role="status">{said}</p>{/if}
</div>
