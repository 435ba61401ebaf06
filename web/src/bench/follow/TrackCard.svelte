<script lang="ts">
  // Following by the tracker: what is followed, running, putting right, attempts.
  import ArrowLeft from '@lucide/svelte/icons/arrow-left';
  import ArrowLeftToLine from '@lucide/svelte/icons/arrow-left-to-line';
  import ArrowRightToLine from '@lucide/svelte/icons/arrow-right-to-line';
  import ChevronsLeft from '@lucide/svelte/icons/chevrons-left';
  import ChevronsRight from '@lucide/svelte/icons/chevrons-right';
  import ArrowRight from '@lucide/svelte/icons/arrow-right';
  import ArrowLeftRight from '@lucide/svelte/icons/arrow-left-right';
  import Square from '@lucide/svelte/icons/square';
  import type { Following } from './following.svelte';
  import type { Keying } from '../keying.svelte';
  import type { Notice } from '../notice.svelte';
  import type { Outlining } from '../outline/outlining.svelte';
  import type { Playhead } from '../playhead.svelte';
  import type { Selection } from '../selection.svelte';
  import type { EditingSession } from '../session.svelte';
  import type { Toolbox } from '../toolbox.svelte';
  import { core } from '../../core/core';
  import type { Channel, Model } from './following.svelte';
  import type { Way } from './ways';
  import NumberField from '../../shared/NumberField.svelte';

  interface Props {
    following: Following;
    keying: Keying;
    notice: Notice;
    outlining: Outlining;
    playhead: Playhead;
    selection: Selection;
    session: EditingSession;
    toolbox: Toolbox;
  }
  let { following, keying, notice, outlining, playhead, selection, session, toolbox }: Props = $props();
  const cover = $derived(selection.cover!);
  const t = $derived(following.track);
  const run = $derived(following.running);
  const s = $derived(following.surface);
  const texture = $derived(following.texture.known);
  const anew = $derived(
    following.apart ? `Track the new surface from f ${following.apart.frame}` : `Track anew from f ${playhead.frame}`,
  );
  let tolerance = $state(0.5);
  let more = $state(false);
  const models: [Model, string][] = [
    ['translation', 'Place'],
    ['similarity', 'Place, turn, size'],
    ['affine', 'Place … slant'],
    ['perspective', 'Place … tilt'],
    ['cloth', 'Place … bend (cloth)'],
  ];
  const short = { translation: 'place', similarity: 'size', affine: 'slant', perspective: 'tilt', cloth: 'bend' };
  const channels: [Channel, string][] = [
    ['luma', 'Luma'],
    ['red', 'Red'],
    ['green', 'Green'],
    ['blue', 'Blue'],
    ['best', 'Most contrast'],
  ];
  const sure = $derived(s && s.confidence > 0 && s.state !== 'a' ? `, ${Math.round(100 * s.confidence)} %` : '');
  const comparable = $derived(
    texture?.enough ? ` ${Math.round(100 * texture.share)} % of the surface can be compared.` : '',
  );
  const words = {
    a: 'anchor',
    g: 'good',
    w: 'weak',
    l: 'lost',
    o: 'outside the picture',
    '-': 'not followed',
  } as Record<string, string>;
  const row = $derived(session.rows.get(cover.id));
  const count = (c: string) =>
    [...(row?.states ?? '')].filter(
      (x, i) => x === c && i + row!.first >= cover.span.first && i + row!.first <= cover.span.last,
    ).length;
  const anchors = $derived(t ? [t.frame, ...t.anchors.map((a) => a.frame)].sort((x, y) => x - y) : []);
  const others = $derived((session.document?.tracks ?? []).filter((x) => x.id !== cover.track));

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
      if (file.name.toLowerCase().endsWith('.svg')) outlining.read(text);
      else if (/^\s*frame\s*,\s*move_x/i.test(text) || text.includes('"outlines"')) keying.read(text);
      else await following.read(text, file.name.replace(/\.\w+$/, ''));
    } catch (err) {
      notice.say(err);
    }
  }

  $effect(() => {
    if (!t && !run && playhead.speed === 0) {
      void following.proposed;
      void following.model;
      const later = setTimeout(() => void following.assess(), 300);
      return () => clearTimeout(later);
    }
  });
</script>

{#snippet go(way: Way, name: string, says: string, Icon: typeof ArrowLeft, primary = false)}
  <button
    class="btn gap-1 px-1 btn-xs {primary ? 'btn-primary' : ''}"
    aria-label={says}
    title={says}
    disabled={cover.locked || !!run}
    onclick={() => void following.follow(way)}
  >
    <Icon size={13} />{name}
  </button>
{/snippet}

{#snippet how()}
  <div class="grid grid-cols-2 gap-1">
    <select class="select w-full select-xs" aria-label="It moves by" bind:value={following.model}
      >{#each models as [m, n] (m)}<option value={m}>{n}</option>{/each}</select
    >
    <select class="select w-full select-xs" aria-label="Compare" bind:value={following.channel}
      >{#each channels as [m, n] (m)}<option value={m}>{n}</option>{/each}</select
    >
  </div>
  <div class="grid grid-cols-2 gap-1">
    <button
      class="btn btn-xs {toolbox.tool === 'surface' ? 'bg-base-300' : ''}"
      title="Draw the surface apart from the cover (Shift+Q)"
      onclick={() => toolbox.take('surface')}>Draw surface</button
    >
    <button class="btn btn-xs {toolbox.tool === 'points' ? 'bg-base-300' : ''}" onclick={() => toolbox.take('points')}
      >Set points</button
    >
  </div>
  {#if following.apart}<button class="btn btn-xs" onclick={() => (following.apart = undefined)}
      >{t ? 'Keep the surface as it is' : 'Follow the cover’s outline instead'}</button
    >{/if}
{/snippet}

{#snippet ranking()}
  <table class="text-[12px]" aria-label="Attempts, the steadiest first">
    <thead class="quiet text-left"
      ><tr
        ><th class="font-normal">Attempt</th><th class="font-normal" title="share of frames that are good">good</th><th
          class="font-normal"
          title="px, second difference">jitter</th
        ><th class="font-normal" title="px between forward and back">closes</th></tr
      ></thead
    >
    <tbody>
      {#each following.ranked.slice(0, 8) as a (a.id)}
        <tr class={a.id === t?.attempt ? 'text-primary' : ''}>
          <td
            ><button
              class="hover:underline disabled:no-underline"
              disabled={a.id === t?.attempt}
              onclick={() => following.use(a)}
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
{/snippet}

{#snippet out()}
  <button
    class="underline"
    onclick={() => save(core.exportOutline({ cover: cover.id, frame: selection.here }).text, `${cover.name}.svg`)}
    >outline SVG</button
  >
  <button class="underline" onclick={() => save(core.exportCover({ cover: cover.id }).text, `${cover.name} keys.json`)}
    >keys JSON</button
  >
  <button class="underline" onclick={() => save(core.exportKeys({ cover: cover.id }).text, `${cover.name} keys.csv`)}
    >keys CSV</button
  >
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
  <button class="btn btn-primary btn-xs" onclick={() => void following.stop()}
    ><Square size={12} /> Stop, keep what was done</button
  >
{:else if following.correction}
  <p class="text-[12px]">
    Drag the {following.correction.points ? 'points to where they belong' : 'corners onto the surface'} at f {following
      .correction.frame}.
  </p>
  <button class="btn btn-primary btn-xs" onclick={() => void following.anchor()}>Set an anchor here</button>
  <p class="quiet text-[12px]">The track is wrong here: both sides are tracked again, up to the next anchors.</p>
  {#if !following.correction.points}
    <button class="btn btn-xs" onclick={() => following.correct()}>Correct {cover.name} only</button>
    <p class="quiet text-[12px]">The track stays; this cover moves on it, keyed here.</p>
  {/if}
  <button class="btn btn-xs" onclick={() => (following.correction = undefined)}>Cancel</button>
{:else if t}
  <p class="flex flex-wrap justify-between gap-x-2">
    <span data-testid="track-state"><span class="tc">f {playhead.frame}</span>: {words[s?.state ?? '-']}{sure}</span>
    <span class="quiet text-[12px]" data-testid="track-counts"
      >{#each ['w', 'l', '-', 'o'].filter(count) as c, i (c)}{i ? ', ' : ''}{count(c)} {words[c]}{:else}Followed over
        the whole span{/each}</span
    >
  </p>
  {#if following.bends}
    <div class="flex items-center justify-between gap-1 text-[12px]">
      <span class="text-warning">It bends, by about {following.bends.toFixed(0)} px.</span>
      <button class="btn btn-xs" disabled={cover.locked} onclick={() => void following.asCloth()}
        >Follow as cloth</button
      >
    </div>
  {/if}
  <div class="grid grid-cols-6 gap-1" role="group" aria-label="Track from this frame">
    {@render go('back', '', 'Track backward (Shift+↑)', ChevronsLeft)}
    {@render go('to mark back', '', 'Track backward to mark', ArrowLeftToLine)}
    {@render go('one back', '', 'Track backward 1 frame (Ctrl+←)', ArrowLeft)}
    {@render go('one on', '', 'Track forward 1 frame (Ctrl+→)', ArrowRight)}
    {@render go('to mark on', '', 'Track forward to mark', ArrowRightToLine)}
    {@render go('forward', '', 'Track forward (Shift+↓)', ChevronsRight)}
  </div>
  <div class="grid gap-1 {following.apart ? '' : 'grid-cols-2'}">
    {@render go('both', 'Span again', 'Track the span again', ArrowLeftRight)}
    <button
      class="btn px-1 btn-xs {following.apart ? 'btn-primary' : ''}"
      disabled={cover.locked || (!following.apart && s?.state === '-')}
      aria-label="{anew} (Alt+V)"
      title="From this frame, with the surface as it lies here or as you draw it; what was followed stays as an attempt"
      onclick={() => void following.anew()}>{following.apart ? anew : `Anew from f ${playhead.frame}`}</button
    >
  </div>
  {@render how()}
  <button
    class="btn btn-primary btn-xs"
    disabled={cover.locked || s?.state === '-'}
    onclick={() => following.correctHere()}>Put right at f {playhead.frame} (R)</button
  >
  <div class="flex flex-wrap gap-1 text-[12px]" aria-label="Anchors">
    <span class="quiet">Anchors</span>
    {#each anchors as a (a)}
      <span class="flex border border-base-300"
        ><button class="tc px-1 hover:underline" onclick={() => playhead.seek(a)}>f {a}</button
        >{#if a !== t.frame}<button
            class="quiet border-l border-base-300 px-1"
            aria-label="Remove the anchor at f {a}"
            onclick={() => void following.removeAnchor(a)}>×</button
          >{/if}</span
      >
    {/each}
  </div>
  {#if following.ranked.length > 1}{@render ranking()}{/if}
  <label class="flex items-center justify-between"
    ><span>Surface on the picture</span><input
      type="checkbox"
      class="toggle toggle-xs"
      bind:checked={following.shown}
    /></label
  >
  <button class="btn justify-start btn-ghost px-1 btn-xs" aria-expanded={more} onclick={() => (more = !more)}
    >{more ? '▾' : '▸'} Other attempts, sharing, hand keys</button
  >
  {#if more}
    {#if t.kind === 'surface'}<button
        class="btn btn-xs"
        disabled={following.pending > 0}
        onclick={() => void following.others()}
        >{following.pending ? `Trying ${following.pending} in the background` : 'Try others in the background'}</button
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
    <button class="btn btn-xs" disabled={cover.locked} onclick={() => following.byHand(tolerance)}
      >Turn into hand keys</button
    >
    <div class="flex flex-wrap gap-x-2 text-[12px]">
      <span class="quiet">Write</span>
      <button
        class="underline"
        onclick={() => save(core.exportTrack({ track: t.id, format: 'csv' }).text, `${t.name}.csv`)}>track CSV</button
      >
      <button
        class="underline"
        onclick={() => save(core.exportTrack({ track: t.id, format: 'json' }).text, `${t.name}.json`)}
        >track JSON</button
      >
      {@render out()}
    </div>
  {/if}
{:else}
  <p data-testid="texture" class={texture && !texture.enough ? 'text-[12px] text-warning' : 'quiet text-[12px]'}>
    {#if following.apart?.points}{following.apart.surface.length === 1
        ? 'One point: place only.'
        : `${following.apart.surface.length} points.`}{:else if texture}{texture.words}{comparable}{:else}&nbsp;{/if}
  </p>
  {#if texture?.larger && !following.apart}<button class="btn btn-xs" onclick={() => following.takeLarger()}
      >Take the larger surface</button
    >{/if}
  <div class="flex flex-col gap-1" role="group" aria-label="Track from this frame">
    {@render go('both', 'Track (V)', 'Track (V)', ArrowLeftRight, true)}
    <div class="grid grid-cols-2 gap-1">
      {@render go('back', 'Backward', 'Track backward', ArrowLeft)}
      {@render go('forward', 'Forward', 'Track forward', ArrowRight)}
    </div>
  </div>
  {@render how()}
  <button class="btn justify-start btn-ghost px-1 btn-xs" aria-expanded={more} onclick={() => (more = !more)}
    >{more ? '▾' : '▸'} Shared tracks, files</button
  >
  {#if more}
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
  {/if}
{/if}
{#if !run && !following.correction && others.length && (more || !t)}
  <p class="quiet text-[12px]">
    {t ? 'Or put it on another track, as it lies here:' : 'Or ride on a track, as it lies here:'}
  </p>
  {#each others as o (o.id)}<button class="btn btn-xs" disabled={cover.locked} onclick={() => following.rideOn(o)}
      >{o.name}</button
    >{/each}
{/if}
