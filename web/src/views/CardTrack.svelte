<script lang="ts">
  // Following by the tracker: what is followed, running, putting right, attempts.
  import ArrowLeft from '@lucide/svelte/icons/arrow-left';
  import ArrowRight from '@lucide/svelte/icons/arrow-right';
  import ArrowLeftRight from '@lucide/svelte/icons/arrow-left-right';
  import Square from '@lucide/svelte/icons/square';
  import type { Bench } from '../lib/bench.svelte';
  import { core } from '../lib/core';
  import type { Channel, Model, Way } from '../lib/following.svelte';
  import NumberField from './NumberField.svelte';

  let { b }: { b: Bench } = $props();
  const f = $derived(b.follows);
  const cover = $derived(b.cover!);
  const t = $derived(f.track);
  const run = $derived(f.running);
  const s = $derived(f.surface);
  let tolerance = $state(0.5);
  let more = $state(false);
  const models: [Model, string][] = [
    ['translation', 'Place'],
    ['similarity', 'Place, turn, size'],
    ['affine', 'And slant'],
    ['perspective', 'And tilt'],
  ];
  const short = { translation: 'place', similarity: 'size', affine: 'slant', perspective: 'tilt' };
  const channels: [Channel, string][] = [
    ['luma', 'Luma'],
    ['red', 'Red'],
    ['green', 'Green'],
    ['blue', 'Blue'],
    ['best', 'The one with most contrast'],
  ];
  const words = {
    a: 'anchor',
    g: 'good',
    w: 'weak',
    l: 'lost',
    o: 'outside the picture',
    '-': 'not followed',
  } as Record<string, string>;
  const slat = $derived(b.slats.get(cover.id));
  const count = (c: string) =>
    [...(slat?.states ?? '')].filter(
      (x, i) => x === c && i + slat!.first >= cover.span.first && i + slat!.first <= cover.span.last,
    ).length;
  const anchors = $derived(t ? [t.frame, ...t.anchors.map((a) => a.frame)].sort((x, y) => x - y) : []);
  const others = $derived((b.document?.tracks ?? []).filter((x) => x.id !== cover.track));

  function save(text: string, name: string) {
    const a = document.createElement('a');
    a.href = URL.createObjectURL(new Blob([text]));
    a.download = name;
    a.click();
    URL.revokeObjectURL(a.href);
  }
  async function read(e: Event) {
    const input = e.currentTarget as HTMLInputElement;
    const file = input.files?.[0];
    input.value = '';
    if (!file) return;
    try {
      const text = await file.text();
      if (file.name.toLowerCase().endsWith('.svg')) b.readOutline(text);
      else if (/^\s*frame\s*,\s*move_x/i.test(text) || text.includes('"outlines"')) b.readKeys(text);
      else await f.give(text, file.name.replace(/\.\w+$/, ''));
    } catch (err) {
      b.say(err);
    }
  }

  $effect(() => {
    if (!t && !run && b.speed === 0) {
      void f.proposed;
      void f.model;
      const later = setTimeout(() => void f.assess(), 300);
      return () => clearTimeout(later);
    }
  });
</script>

{#snippet go(way: Way, name: string, Icon: typeof ArrowLeft | undefined, primary = false)}
  <button
    class="btn gap-1 px-1 btn-xs {primary ? 'btn-primary' : ''}"
    disabled={cover.locked || !!run}
    onclick={() => void f.follow(way)}
  >
    {#if Icon}<Icon size={13} />{/if}{name}
  </button>
{/snippet}

{#snippet out()}
  <button class="underline" onclick={() => save(core.outlineOut(cover.id, b.here), `${cover.name}.svg`)}
    >outline SVG</button
  >
  <button class="underline" onclick={() => save(core.coverOut(cover.id), `${cover.name} keys.json`)}>keys JSON</button>
  <button class="underline" onclick={() => save(core.keysOut(cover.id), `${cover.name} keys.csv`)}>keys CSV</button>
{/snippet}

{#if run}
  <div role="status" data-testid="running">
    <p class="tc">
      {run.state === 'queued' ? 'Waiting' : `${run.done} of ${run.frames} frames`}{#if run.rate > 0}, {run.rate.toFixed(
          0,
        )} fps{/if}
    </p>
    {#if run.waiting}<p class="text-[12px]" role="status">{run.waiting}</p>{/if}
    <progress
      class="progress h-1.5 w-full progress-primary"
      value={run.done}
      max={run.frames}
      aria-label="Frames followed"
    ></progress>
  </div>
  <button class="btn btn-primary btn-xs" onclick={() => void f.stop()}
    ><Square size={12} /> Stop, keep what was done</button
  >
{:else if f.mending}
  <p class="text-[12px]">Drag the corners onto the surface at f {f.mending.frame}.</p>
  <button class="btn btn-primary btn-xs" onclick={() => void f.anchor()}>Make it an anchor</button>
  <p class="quiet text-[12px]">The track is wrong here: both sides are followed anew, up to the next anchors.</p>
  <button class="btn btn-xs" onclick={() => f.correct()}>Correct {cover.name} only</button>
  <p class="quiet text-[12px]">The track stays; this cover moves on it, keyed here.</p>
  <button class="btn btn-xs" onclick={() => (f.mending = undefined)}>Leave it as it was</button>
{:else if t}
  <p data-testid="track-state">
    <span class="tc">f {b.frame}</span>: {words[s?.state ?? '-']}{#if s && s.confidence > 0 && s.state !== 'a'}, {Math.round(
        100 * s.confidence,
      )} %{/if}
  </p>
  <p class="quiet text-[12px]" data-testid="track-counts">
    {#each ['w', 'l', '-', 'o'].filter(count) as c, i (c)}{i ? ', ' : ''}{count(c)} {words[c]}{:else}Followed over the
      whole span{/each}
  </p>
  <div class="grid grid-cols-3 gap-1" role="group" aria-label="Follow from this frame">
    {@render go('back', 'Back', ArrowLeft)}
    {@render go('both', 'Anew', ArrowLeftRight)}
    {@render go('forward', 'On', ArrowRight)}
    {@render go('to mark back', 'Mark', ArrowLeft)}
    <span></span>
    {@render go('to mark on', 'Mark', ArrowRight)}
    {@render go('one back', 'Frame', ArrowLeft)}
    <span></span>
    {@render go('one on', 'Frame', ArrowRight)}
  </div>
  {#if t.kind === 'surface'}
    <button class="btn btn-primary btn-xs" disabled={cover.locked || s?.state === '-'} onclick={() => f.mend()}
      >Put right at f {b.frame} (R)</button
    >
    <div class="flex flex-wrap gap-1 text-[12px]" aria-label="Anchors">
      <span class="quiet">Anchors</span>
      {#each anchors as a (a)}
        <span class="flex border border-base-300"
          ><button class="tc px-1 hover:underline" onclick={() => b.seek(a)}>f {a}</button>{#if a !== t.frame}<button
              class="quiet border-l border-base-300 px-1"
              aria-label="Remove the anchor at f {a}"
              onclick={() => void f.removeAnchor(a)}>×</button
            >{/if}</span
        >
      {/each}
    </div>
  {/if}
  <label class="flex items-center justify-between"
    ><span>Surface on the picture</span><input type="checkbox" class="toggle toggle-xs" bind:checked={f.shown} /></label
  >
  <button class="btn justify-start btn-ghost px-1 btn-xs" aria-expanded={more} onclick={() => (more = !more)}
    >{more ? '▾' : '▸'} Attempts, sharing, hand keys</button
  >
  {#if more}
    <table class="text-[12px]" aria-label="Attempts, the steadiest first">
      <thead class="quiet text-left"
        ><tr
          ><th class="font-normal">Attempt</th><th class="font-normal" title="share of frames that are good">good</th
          ><th class="font-normal" title="px, second difference">jitter</th><th
            class="font-normal"
            title="px between forward and back">closes</th
          ></tr
        ></thead
      >
      <tbody>
        {#each f.ranked.slice(0, 8) as a (a.id)}
          <tr class={a.id === t.attempt ? 'text-primary' : ''}>
            <td
              ><button
                class="hover:underline disabled:no-underline"
                disabled={a.id === t.attempt}
                onclick={() => f.use(a)}
                >f {a.track.frame}, {short[a.track.model]}{a.track.anchors.length
                  ? ` +${a.track.anchors.length}`
                  : ''}</button
              ></td
            >
            <td class="tc">{Math.round(100 * (a.figures?.good ?? 0))} %</td>
            <td class="tc">{a.figures?.jitter.toFixed(2)}</td>
            <td class="tc">{a.figures && a.figures.apart >= 0 ? a.figures.apart.toFixed(2) : '–'}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    {#if t.kind === 'surface'}<button class="btn btn-xs" disabled={f.pending > 0} onclick={() => void f.others()}
        >{f.pending ? `Trying ${f.pending} in the background` : 'Try others in the background'}</button
      >{/if}
    <NumberField
      label="Tolerance, px"
      value={tolerance}
      min={0.05}
      max={100}
      step={0.05}
      digits={2}
      onchange={(v) => (tolerance = v)}
    />
    <button class="btn btn-xs" disabled={cover.locked} onclick={() => f.byHand(tolerance)}>Turn into hand keys</button>
    <div class="flex flex-wrap gap-x-2 text-[12px]">
      <span class="quiet">Write</span>
      <button class="underline" onclick={() => save(core.trackOut(t.id, 'csv'), `${t.name}.csv`)}>track CSV</button>
      <button class="underline" onclick={() => save(core.trackOut(t.id, 'json'), `${t.name}.json`)}>track JSON</button>
      {@render out()}
    </div>
  {/if}
{:else}
  <p data-testid="texture" class={f.texture && !f.texture.enough ? 'text-[12px] text-warning' : 'quiet text-[12px]'}>
    {#if f.apart?.points}{f.apart.surface.length === 1
        ? 'One point: place only.'
        : `${f.apart.surface.length} points.`}{:else if f.texture}{f.texture
        .words}{#if f.texture.enough}&nbsp;{Math.round(100 * f.texture.share)} % of the surface can be compared.{/if}{:else}&nbsp;{/if}
  </p>
  {#if f.texture?.larger && !f.apart}<button class="btn btn-xs" onclick={() => f.takeLarger()}
      >Take the larger surface</button
    >{/if}
  <div class="grid grid-cols-[1fr_auto_1fr] gap-1" role="group" aria-label="Follow from this frame">
    {@render go('back', 'Back', ArrowLeft)}
    {@render go('both', 'Track (V)', ArrowLeftRight, true)}
    {@render go('forward', 'On', ArrowRight)}
  </div>
  <label class="flex items-center justify-between gap-2">
    <span>It moves by</span>
    <select class="select w-28 select-xs" bind:value={f.model}
      >{#each models as [m, n] (m)}<option value={m}>{n}</option>{/each}</select
    >
  </label>
  <button class="btn justify-start btn-ghost px-1 btn-xs" aria-expanded={more} onclick={() => (more = !more)}
    >{more ? '▾' : '▸'} Surface, channel, shared tracks</button
  >
  {#if more}
    <label class="flex items-center justify-between gap-2">
      <span>Compare</span>
      <select class="select w-28 select-xs" bind:value={f.channel}
        >{#each channels as [m, n] (m)}<option value={m}>{n}</option>{/each}</select
      >
    </label>
    <div class="grid grid-cols-2 gap-1">
      <button class="btn btn-xs {b.tool === 'surface' ? 'bg-base-300' : ''}" onclick={() => b.takeUp('surface')}
        >Draw surface</button
      >
      <button class="btn btn-xs {b.tool === 'points' ? 'bg-base-300' : ''}" onclick={() => b.takeUp('points')}
        >Set points</button
      >
    </div>
    <div class="flex flex-wrap gap-x-2 text-[12px]">
      <span class="quiet">Write</span>
      {@render out()}
    </div>
    <label class="text-[12px]"
      ><span class="quiet">Read a track or keys (CSV, JSON), or an outline (SVG)</span><input
        type="file"
        accept=".csv,.json,.svg"
        class="file-input w-full file-input-xs"
        onchange={read}
      /></label
    >
    {#if f.apart}<button class="btn btn-xs" onclick={() => (f.apart = undefined)}
        >Follow the cover’s outline instead</button
      >{/if}
  {/if}
{/if}
{#if !run && !f.mending && others.length && (more || !t)}
  <p class="quiet text-[12px]">
    {t ? 'Or put it on another track, as it lies here:' : 'Or ride on a track, as it lies here:'}
  </p>
  {#each others as o (o.id)}<button class="btn btn-xs" disabled={cover.locked} onclick={() => f.rideOn(o)}
      >{o.name}</button
    >{/each}
{/if}
