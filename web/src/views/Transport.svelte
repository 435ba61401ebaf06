<script lang="ts">
  import ChevronFirst from '@lucide/svelte/icons/chevron-first';
  import ChevronLast from '@lucide/svelte/icons/chevron-last';
  import ChevronLeft from '@lucide/svelte/icons/chevron-left';
  import ChevronRight from '@lucide/svelte/icons/chevron-right';
  import Pause from '@lucide/svelte/icons/pause';
  import Play from '@lucide/svelte/icons/play';
  import Repeat from '@lucide/svelte/icons/repeat';
  import type { Bench } from '../lib/bench.svelte';
  import { core } from '../lib/core';

  let { b }: { b: Bench } = $props();
  let goto = $state('');

  function go(e: Event) {
    e.preventDefault();
    const t = goto.trim();
    if (!t) return;
    try {
      const f = core.frameOf(t, b.frame);
      if (f < 0 || f > b.last)
        throw new Error(`The shot runs from ${core.timecode(0)} (f 0) to ${core.timecode(b.last)} (f ${b.last}).`);
      b.error = '';
      b.seek(f);
      goto = '';
      (document.activeElement as HTMLElement | null)?.blur();
    } catch (err) {
      b.say(err);
    }
  }
  const looks = { concealed: 'Concealed', clean: 'Clean', matte: 'Matte', side: 'Side by side', wipe: 'Wipe' };
  const percent = $derived(b.zoom && ![1, 2, 4].includes(b.zoom) ? `${Math.round(100 * b.zoom)} %` : '');
</script>

<div class="flex h-9 items-center gap-1 px-2">
  <button class="btn btn-square btn-ghost btn-xs" aria-label="Previous key (up)" onclick={() => b.key(-1)}
    ><ChevronFirst size={15} /></button
  >
  <button class="btn btn-square btn-ghost btn-xs" aria-label="Previous frame (left)" onclick={() => b.seek(b.frame - 1)}
    ><ChevronLeft size={15} /></button
  >
  <button
    class="btn btn-square btn-xs"
    aria-label={b.speed ? 'Pause (space)' : 'Play (space)'}
    onclick={() => b.play(b.speed ? 0 : 1)}
  >
    {#if b.speed}<Pause size={15} />{:else}<Play size={15} />{/if}
  </button>
  <button class="btn btn-square btn-ghost btn-xs" aria-label="Next frame (right)" onclick={() => b.seek(b.frame + 1)}
    ><ChevronRight size={15} /></button
  >
  <button class="btn btn-square btn-ghost btn-xs" aria-label="Next key (down)" onclick={() => b.key(1)}
    ><ChevronLast size={15} /></button
  >
  <button
    class="btn btn-square btn-ghost btn-xs {b.loop ? 'text-primary' : 'quiet'}"
    aria-label="Loop (Shift+K)"
    aria-pressed={b.loop}
    onclick={() => (b.loop = !b.loop)}><Repeat size={14} /></button
  >
  <span class="tc quiet w-10 text-[12px]"
    >{#if b.speed}{b.speed > 0 ? '' : '−'}{Math.abs(b.speed)}×{/if}</span
  >
  <form onsubmit={go}>
    <input
      id="goto"
      class="tc input w-24 input-xs"
      aria-label="Go to a frame or timecode (G)"
      placeholder="go to"
      title="A frame (112), a timecode or its end (14:07, :07), or +10, -10"
      bind:value={goto}
      onkeydown={(e) => {
        if (e.key === 'Escape') {
          goto = '';
          b.error = '';
          e.currentTarget.blur();
        }
      }}
    />
  </form>
  {#if b.cover}
    <button
      class="btn ml-2 btn-xs"
      disabled={b.cover.locked}
      aria-label="Span begins here (I)"
      onclick={() => b.setSpan('first')}>Begins here</button
    >
    <span class="tc" data-testid="span">{b.cover.span.first}–{b.cover.span.last}</span>
    <button
      class="btn btn-xs"
      disabled={b.cover.locked}
      aria-label="Span ends here (O)"
      onclick={() => b.setSpan('last')}>Ends here</button
    >
  {/if}
  <select class="select ml-auto w-30 select-xs" aria-label="What is shown" bind:value={b.look}>
    {#each Object.entries(looks) as [k, t] (k)}<option value={k}>{t}</option>{/each}
    {#if b.look === 'pair'}<option value="pair">Two treatments</option>{/if}
  </select>
  <button
    class="btn btn-xs {b.overlays ? 'bg-base-300' : ''}"
    aria-pressed={b.overlays}
    onclick={() => (b.overlays = !b.overlays)}>Overlays</button
  >
  <button
    class="btn btn-xs {b.steady ? 'btn-primary' : ''}"
    aria-pressed={b.steady}
    disabled={!b.cover}
    onclick={() => b.setSteady(!b.steady)}>Steady</button
  >
  <div class="join" role="group" aria-label="Zoom">
    <button
      class="btn join-item px-2 btn-xs {b.zoom === 0 ? 'bg-base-300' : ''}"
      aria-pressed={b.zoom === 0}
      onclick={() => ((b.zoom = 0), (b.centre = undefined))}>Fit</button
    >
    {#each [1, 2, 4] as z (z)}
      <button
        class="btn join-item px-1.5 btn-xs {b.zoom === z ? 'bg-base-300' : ''}"
        aria-label="{100 * z} %"
        aria-pressed={b.zoom === z}
        onclick={() => (b.zoom = z)}>{100 * z}</button
      >
    {/each}
    <button
      class="btn join-item px-2 btn-xs {percent ? 'bg-base-300' : ''}"
      disabled={!b.cover}
      aria-label="Zoom to the item (Z)"
      onclick={() => b.zoomToItem()}>{percent || 'Item'}</button
    >
  </div>
</div>
