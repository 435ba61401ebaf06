<script lang="ts">
  import Clipboard from '@lucide/svelte/icons/clipboard';
  import Copy from '@lucide/svelte/icons/copy';
  import Trash2 from '@lucide/svelte/icons/trash-2';
  import type { Ease } from '../lib/api';
  import type { Bench } from '../lib/bench.svelte';
  import { core } from '../lib/core';
  import CardTrack from './CardTrack.svelte';

  let { b }: { b: Bench } = $props();
  const cover = $derived(b.cover!);
  const slat = $derived(b.slats.get(cover.id));
  const seen = $derived(b.looked[cover.id]?.length ?? 0);
  const frames = $derived(cover.span.last - cover.span.first + 1);
  const eases: [Ease, string][] = [
    ['', 'Even'],
    ['held', 'Held'],
    ['eased', 'Eased'],
  ];
  const easeAt = (f: number) => {
    const l = slat?.lanes.find((l) => l.frames.includes(f));
    return l ? l.eases[l.frames.indexOf(f)] : '';
  };
  const what = (f: number) => {
    const on = slat?.lanes.filter((l) => l.frames.includes(f)).map((l) => l.name) ?? [];
    const words = [
      on.includes('placement') && 'place',
      on.some((n) => n.startsWith('outline/')) && 'shape',
      on.some((n) => n !== 'placement' && !n.startsWith('outline/')) && 'numbers',
    ];
    return words.filter(Boolean).join(', ');
  };
  const chosen = $derived(b.chosen);
  function pick(e: MouseEvent, f: number) {
    if (e.shiftKey || e.ctrlKey) b.pins = b.pins.includes(f) ? b.pins.filter((p) => p !== f) : [...b.pins, f];
    else {
      b.pins = [];
      b.seek(f);
    }
  }
</script>

{#if b.last === 0}
  <p class="quiet text-[12px]">A still picture needs no motion.</p>
{:else}
  <CardTrack {b} />
  <hr class="border-base-300" />
  {#if !cover.track}<h2 class="font-medium">By hand</h2>
    <p class="quiet text-[12px]">Fit the cover where it slips: the ends of the span, then by halves.</p>{:else}<h2
      class="font-medium"
    >
      Looking, and corrections
    </h2>{/if}
  <button class="btn btn-xs" disabled={!b.unseen} onclick={() => b.fits()}>
    {b.nextToFit === undefined
      ? b.unseen
        ? 'It fits (Enter)'
        : 'All looked at'
      : `It fits: on to f ${b.nextToFit} (Enter)`}
  </button>
  <p class="quiet text-[12px]" data-testid="looked">
    Looked at since the last change: {seen} of {frames} frames.{#if b.unseen}&nbsp;Longest stretch not looked at: f {b
        .unseen[0]}–{b.unseen[1]}.{/if}
  </p>
  <label class="flex items-center justify-between"
    ><span>Path of the centre</span><input type="checkbox" class="toggle toggle-xs" bind:checked={b.course} /></label
  >
  <hr class="border-base-300" />
  <p class="quiet text-[12px]" data-testid="between">{b.between}</p>
  {#if slat?.outside}<p class="text-[12px] text-warning">
      {slat.outside === 1 ? 'One key lies' : `${slat.outside} keys lie`} outside the span. It is kept, and counts where the
      cover moves towards it.
    </p>{/if}
  <div class="grid grid-cols-2 gap-1">
    <button class="btn btn-xs" disabled={!b.keys.some((k) => k < b.here)} onclick={() => b.key(-1)}>Previous key</button
    >
    <button class="btn btn-xs" disabled={!b.keys.some((k) => k > b.here)} onclick={() => b.key(1)}>Next key</button>
  </div>
  {#if !b.keys.includes(b.here)}<button
      class="btn btn-xs"
      disabled={!b.held?.inside || cover.locked}
      onclick={() => b.toggleKey('placement')}>Add a key at f {b.here} (Y)</button
    >{/if}
  <ol class="max-h-44 divide-y divide-base-300 overflow-auto border border-base-300" aria-label="Keys">
    {#each b.keys as k (k)}
      <li>
        <button
          {@attach (el) => {
            const list = el.closest('ol')!;
            if (k === b.here) list.scrollTop = el.offsetTop - list.offsetTop - 60;
          }}
          class="flex w-full gap-2 px-1.5 py-0.5 text-[12px] {chosen.includes(k) ? 'bg-base-300' : 'hover:bg-base-200'}"
          aria-pressed={b.pins.includes(k)}
          onclick={(e) => pick(e, k)}
          title={core.timecode(k)}
        >
          <span class="tc">f {k}</span><span class="quiet ml-auto">{what(k)}{easeAt(k) ? `, ${easeAt(k)}` : ''}</span>
        </button>
      </li>
    {/each}
  </ol>
  {#if chosen.length}
    <span class="quiet text-[12px]"
      >{chosen.length === 1 ? `Key at f ${chosen[0]}` : `${chosen.length} keys picked`}, from there on</span
    >
    <div class="join grid grid-cols-3" role="group" aria-label="How the key goes on">
      {#each eases as [e, t] (e)}
        <button
          class="btn join-item px-0 btn-xs {chosen.every((f) => easeAt(f) === e) ? 'bg-base-300' : ''}"
          disabled={cover.locked}
          aria-pressed={chosen.every((f) => easeAt(f) === e)}
          onclick={() => b.ease(e)}>{t}</button
        >
      {/each}
    </div>
    <button class="btn btn-xs" disabled={cover.locked} onclick={() => b.removeKeys()}
      ><Trash2 size={13} /> Remove (Delete)</button
    >
  {:else}
    <p class="quiet text-[12px]">Shift-click picks several keys, here or on the slat.</p>
  {/if}
  <div class="grid grid-cols-2 gap-1">
    <button class="btn btn-xs" onclick={() => b.copyKeys()}><Copy size={13} /> Copy</button>
    <button class="btn btn-xs" disabled={!b.copied.length || cover.locked} onclick={() => b.paste()}
      ><Clipboard size={13} /> Paste</button
    >
  </div>
  <button
    class="btn btn-xs"
    disabled={!b.copied.length || b.copied.some((k) => k.offset) || cover.locked}
    onclick={() => b.paste(true)}>Paste onto all keys</button
  >
{/if}
