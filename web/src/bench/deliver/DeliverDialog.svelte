<script lang="ts">
  // What of the shot is delivered, in which format and under which name; and what was.
  import { onMount } from 'svelte';
  import type { Bench } from '../bench.svelte';
  import Deliveries from '../../programme/Deliveries.svelte';
  import { api, ask, type Contents, type Preset } from '../../api/api';
  import HousePresets from './HousePresets.svelte';
  import { core } from '../../core/core';
  import { remembered } from '../../shared/remembered';

  let { bench, onclose }: { bench: Bench; onclose: () => void } = $props();
  let dialog = $state<HTMLDialogElement>();
  const view = $derived(bench.shot.view!);
  const still = $derived(view.sourceInfo.info.still);
  const formats = [
    ['review', 'Review copy', 'H.264 in MP4, plays everywhere'],
    ['archive', 'Archive master', 'FFV1 in Matroska, lossless: all outside the covers is proved the source’s'],
  ] as const;
  let preset = $state(remembered.preset);
  let presets = $state.raw<Preset[]>([]);
  let making = $state(false); // a house preset
  const others = $derived(presets.filter((p) => !formats.some(([v]) => v === p.name)));
  const chosen = $derived(presets.find((p) => p.name === preset));
  const source = $derived(view.source);
  async function load(then?: string) {
    presets = await ask(api.GET('/api/sources/{id}/presets', { params: { path: { id: source } } }));
    if (then !== undefined) preset = then; // else what was chosen meanwhile
    if (!presets.some((p) => p.name === preset)) preset = 'review';
  }
  let contents = $state.raw<Contents>();
  /** Of what is not settled the programme lets out nothing, but for review. */
  const forbidden = $derived(!!contents?.forbidden && !chosen?.forReview);
  const sentence = (t: string) => t.charAt(0).toUpperCase() + t.slice(1);
  let matte = $state(remembered.matte);
  let name = $state('');
  let range = $state<'all' | 'span' | 'typed'>('all');
  let from = $state('');
  let to = $state('');
  const span = $derived(bench.selection.cover?.span);
  const ending = $derived(`.${chosen?.container ?? (preset === 'archive' ? 'mkv' : 'mp4')}`);
  /** The frames meant, or what is wrong with them. */
  const frames = $derived.by<{ first: number; last: number } | string>(() => {
    if (range === 'span' && span) return span;
    if (range !== 'typed') return { first: 0, last: bench.shot.last };
    try {
      const first = core.frameOf({ text: from, now: 0 });
      const last = core.frameOf({ text: to, now: bench.shot.last });
      return first <= last && last <= bench.shot.last ? { first, last } : 'The range ends before it begins.';
    } catch (e) {
      return (e as Error).message;
    }
  });
  /** What the source holds that this delivery does not. */
  const left = $derived.by(() => {
    const all = chosen?.left;
    if (!all || matte) return [];
    return range === 'all' && view.frames === view.sourceInfo.frames ? all.whole : all.part;
  });
  const count = $derived(typeof frames === 'string' ? 0 : frames.last - frames.first + 1);
  onMount(() => {
    name = view.name.replace(/\.[A-Za-z]{3,4}$/, '');
    [from, to] = [core.timecode({ frame: 0 }), core.timecode({ frame: bench.shot.last })];
    dialog?.showModal();
    if (!still) load().catch((e) => bench.notice.say(e));
    ask(api.GET('/api/shots/{id}/contents', { params: { path: { id: view.id } } }))
      .then((c) => (contents = c))
      .catch((e) => bench.notice.say(e));
  });
  const ready = $derived(view.sourceInfo.state === 'ready');

  function deliver(e: Event) {
    e.preventDefault();
    if (typeof frames === 'string') return;
    if (still) return void bench.deliveries.deliver({ preset: 'still', name });
    [remembered.preset, remembered.matte] = [preset, matte];
    void bench.deliveries.deliver({ preset, name, matte, ...frames });
  }
</script>

{#snippet choice(name: string, says: string, chosen: () => boolean, choose: () => void)}
  <label class="flex gap-2"
    ><input type="radio" class="radio radio-sm" {name} checked={chosen()} onchange={choose} /> {says}</label
  >
{/snippet}

<dialog bind:this={dialog} class="modal" aria-label="Deliver" {onclose}>
  <div class="modal-box flex max-w-xl flex-col gap-3 p-4">
    <h2 class="text-[15px] font-semibold">Deliver {view.name}</h2>
    <form class="flex flex-col gap-3" onsubmit={deliver}>
      {#if still}
        <p>
          A still picture, as {still.toUpperCase()} like the source: {still === 'jpeg'
            ? 'encoded again at the highest quality; how far it is off outside the covers is measured'
            : 'every sample outside the covers is proved equal to the source'}. Embedded thumbnails and notes are left
          out.
        </p>
      {:else}
        <fieldset class="grid grid-cols-[88px_1fr] gap-x-3 gap-y-1">
          <legend class="sr-only">Format</legend>
          <span class="quiet">Format</span>
          <div class="flex flex-col gap-1">
            {#each formats as [value, title, words] (value)}
              <label class="flex gap-2">
                <input type="radio" class="radio radio-sm" name="preset" {value} bind:group={preset} />
                <span>{title}: <span class="quiet">{words}</span></span>
              </label>
            {/each}
            <div class="flex items-center gap-2">
              <label class="flex items-center gap-2"
                ><input
                  type="radio"
                  class="radio radio-sm"
                  name="preset"
                  checked={others.some((p) => p.name === preset)}
                  onchange={() => (preset = others[0]?.name ?? preset)}
                /> Another</label
              >
              <select
                class="select w-64 select-xs"
                aria-label="Another format"
                value={others.some((p) => p.name === preset) ? preset : ''}
                onchange={(e) => (preset = e.currentTarget.value)}
              >
                <option value="" disabled>Choose</option>
                {#each others as p (p.name)}<option value={p.name}>{p.title}{p.house ? ' (house)' : ''}</option>{/each}
              </select>
              <button type="button" class="btn btn-xs" aria-expanded={making} onclick={() => (making = !making)}
                >House presets</button
              >
            </div>
            {#if making}<HousePresets {presets} onsaved={(name) => void load(name)} />{/if}
          </div>
          <span class="quiet">Shows</span>
          <div class="flex gap-4">
            {@render choice(
              'shows',
              'The pictures',
              () => !matte,
              () => (matte = false),
            )}
            {@render choice(
              'shows',
              'The matte, as grey',
              () => matte,
              () => (matte = true),
            )}
          </div>
          <span class="quiet">Frames</span>
          <div class="flex flex-wrap items-center gap-x-4 gap-y-1">
            {@render choice(
              'range',
              'All',
              () => range === 'all',
              () => (range = 'all'),
            )}
            {#if span}{@render choice(
                'range',
                'The cover’s span',
                () => range === 'span',
                () => (range = 'span'),
              )}{/if}
            <label class="flex items-center gap-2"
              ><input type="radio" class="radio radio-sm" name="range" value="typed" bind:group={range} /> From
              <input
                class="tc input w-26 input-xs"
                aria-label="First frame"
                bind:value={from}
                onfocus={() => (range = 'typed')}
              />
              to
              <input
                class="tc input w-26 input-xs"
                aria-label="Last frame"
                bind:value={to}
                onfocus={() => (range = 'typed')}
              /></label
            >
          </div>
        </fieldset>
      {/if}
      <div class="grid grid-cols-[88px_1fr_auto] items-center gap-x-3">
        <span class="quiet">File</span>
        <label class="input w-full input-sm">
          <input aria-label="Name of the file" bind:value={name} required maxlength="120" />
          {#if !still}<span class="quiet">{matte ? ' matte' : ''}{ending}</span>{/if}
        </label>
        <button
          class="btn btn-primary btn-sm"
          disabled={!ready || forbidden || !!chosen?.refusal || typeof frames === 'string'}
          >Deliver{still ? '' : ` ${count} frames`}</button
        >
      </div>
      {#if chosen?.refusal && !still}<p class="text-error" role="alert">{chosen.refusal}</p>
      {:else if chosen?.changes.length && !still && !matte}
        <p data-testid="changes"><span class="quiet">Changed:</span> {chosen.changes.join(', ')}.</p>
      {/if}
      {#if left.length && !still}
        <p data-testid="left"><span class="quiet">Not carried:</span> {left.join(', ')}.</p>
      {/if}
      {#if typeof frames === 'string'}<p class="text-error" role="alert">{frames}</p>{/if}
      {#if contents?.doubts.length && !chosen?.forReview}
        <p class={forbidden ? 'text-error' : 'text-warning'} role="alert" data-testid="doubts">
          {sentence(contents.doubts.join(', '))}{forbidden
            ? '. The programme lets out only what is settled; a review copy can be made.'
            : ' in this shot.'}
        </p>
      {/if}
      {#if !ready}<p class="quiet">The source is still being brought in.</p>{/if}
      {#if bench.notice.text}<p class="text-error" role="alert">{bench.notice.text}</p>{/if}
    </form>
    {#if bench.deliveries.all.length}<div class="max-h-72 overflow-auto">
        <Deliveries list={bench.deliveries.all} />
      </div>{/if}
    <form method="dialog" class="flex justify-end"><button class="btn btn-sm">Close</button></form>
  </div>
</dialog>
