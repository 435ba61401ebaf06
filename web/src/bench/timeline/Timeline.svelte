<script lang="ts">
  // The louvre: the list of the shot's items at the left, and a row of frames for each.
  import Images from '@lucide/svelte/icons/images';
  import Maximize2 from '@lucide/svelte/icons/maximize-2';
  import ZoomIn from '@lucide/svelte/icons/zoom-in';
  import ZoomOut from '@lucide/svelte/icons/zoom-out';
  import type { Bench } from '../bench.svelte';
  import { core } from '../../core/core';
  import { zoomOf } from '../../shared/zoom';
  import HoldoutRow from './HoldoutRow.svelte';
  import ItemHead from './ItemHead.svelte';
  import AddItem from './AddItem.svelte';
  import Markers from './Markers.svelte';
  import Master from './Master.svelte';
  import Row from './Row.svelte';
  import ThingHead from './ThingHead.svelte';
  import TrackRow from './TrackRow.svelte';
  import Ruler from './Ruler.svelte';
  import SoundHead from '../sound/SoundHead.svelte';
  import SoundRow from '../sound/SoundRow.svelte';
  import Stills from './Stills.svelte';

  let { bench }: { bench: Bench } = $props();
  const scale = $derived(bench.scale);
  const things = $derived(bench.things);
  const unused = $derived(things.tracks.filter((t) => !t.riders.length).length);
  const kept = $derived(things.tracks.length + things.labels.length);
  const riders = (n: number) => (n ? `${n} on it` : 'unused');
  let track = $state<HTMLDivElement>();

  $effect(() => {
    const o = new ResizeObserver(([e]) => (scale.width = e!.contentRect.width));
    o.observe(track!);
    return () => o.disconnect();
  });
  $effect(() => scale.follow(bench.playhead.frame));

  const xOf = (e: PointerEvent | WheelEvent) => (e.clientX - track!.getBoundingClientRect().left) / zoomOf(track!);
  const frameAt = (e: PointerEvent) => scale.frameAt(xOf(e));

  let scrubbing = false;
  function down(e: PointerEvent) {
    if (e.button !== 0) return;
    scrubbing = true;
    (e.currentTarget as Element).setPointerCapture(e.pointerId);
    bench.playhead.pause();
    bench.keying.picked = [];
    bench.playhead.seek(frameAt(e));
  }
  function wheel(e: WheelEvent) {
    if (e.ctrlKey || e.metaKey) {
      e.preventDefault();
      scale.zoom(Math.exp(-e.deltaY / 250), xOf(e));
    } else if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) {
      e.preventDefault();
      scale.scroll((e.deltaX || e.deltaY) / scale.step);
    }
  }
  const middle = () => scale.x(bench.playhead.frame);

  // The bar below: which part is shown, dragged along.
  let grip: { x: number; first: number } | undefined;
</script>

<div class="grid pb-1" style="grid-template-columns: 200px minmax(0,1fr) 12px">
  <div class="flex items-end gap-0.5 pl-2 text-[12px]">
    <AddItem {bench} />
    <span class="ml-auto flex">
      <button
        class="btn btn-square btn-ghost btn-xs {bench.viewport.stills ? 'text-primary' : ''}"
        aria-label="Stills along the timeline (Alt+S)"
        title="Stills along the timeline (Alt+S)"
        aria-pressed={bench.viewport.stills}
        onclick={() => (bench.viewport.stills = !bench.viewport.stills)}><Images size={13} /></button
      >
      <button
        class="btn btn-square btn-ghost btn-xs"
        aria-label="Timeline smaller (Ctrl+wheel)"
        title="Timeline smaller (Ctrl+wheel)"
        disabled={scale.fits}
        onclick={() => scale.zoom(0.5, middle())}><ZoomOut size={13} /></button
      >
      <button
        class="btn btn-square btn-ghost btn-xs"
        aria-label="Timeline larger (Ctrl+wheel)"
        title="Timeline larger (Ctrl+wheel)"
        onclick={() => scale.zoom(2, middle())}><ZoomIn size={13} /></button
      >
      <button
        class="btn btn-square btn-ghost btn-xs"
        aria-label="The whole shot on the timeline (Shift+Z)"
        title="The whole shot on the timeline (Shift+Z)"
        disabled={scale.fits}
        onclick={() => scale.fit()}><Maximize2 size={13} /></button
      >
    </span>
  </div>
  <div class="min-w-0">
    <Master shot={bench.shot} />
    <Ruler {scale} rate={bench.shot.rate} />
    {#if bench.viewport.stills}<Stills {bench} {scale} />{/if}
    <Markers {bench} {scale} />
  </div>
  <div></div>

  {#if bench.sounding.all.length}
    <SoundHead sounding={bench.sounding} />
    <SoundRow {bench} {scale} />
    <div></div>
  {/if}

  <div
    class="col-span-3 grid max-h-[172px] overflow-x-hidden overflow-y-auto"
    style="grid-template-columns: 200px minmax(0,1fr) 12px"
  >
    <nav class="flex flex-col" aria-label="Items of this shot">
      <ul>
        {#each bench.shot.items as it (it.id)}
          <ItemHead {bench} item={it} />
        {:else}
          <li class="quiet px-2 py-1.5 text-[12px]">No items yet</li>
        {/each}
      </ul>
      {#if kept}
        <div class="flex h-[24px] items-center gap-1 border-b border-base-300 pl-1 text-[12px]">
          <button
            class="btn gap-1 btn-ghost px-1 btn-xs"
            aria-expanded={things.listed}
            onclick={() => (things.listed = !things.listed)}
            >{things.listed ? '▾' : '▸'} Tracks{things.labels.length ? ' and labels' : ''}
            <span class="quiet">{kept}</span></button
          >
          {#if things.listed && unused}<button
              class="btn ml-auto btn-ghost px-1 btn-xs"
              onclick={() => things.removeUnused()}>Remove {unused} unused</button
            >{/if}
        </div>
        {#if things.listed}
          {#each things.tracks as t (t.track.id)}<ThingHead
              name={t.track.name}
              more={riders(t.riders.length)}
              picked={things.picked === t.track.id}
              onclick={() => things.pick(t.track.id)}
            />{/each}
          {#each things.labels as l (l.id)}<ThingHead
              label
              name={l.text || 'Ring'}
              more={things.carrier(l)}
              picked={things.picked === l.id}
              onclick={() => things.pick(l.id)}
            />{/each}
        {/if}
      {/if}
    </nav>
    <div
      bind:this={track}
      class="relative min-w-0 touch-none overflow-hidden select-none"
      role="group"
      aria-label="Louvre: one row per item"
      data-testid="timeline"
      onpointerdown={down}
      onpointermove={(e) => scrubbing && bench.playhead.seek(frameAt(e))}
      onpointerup={() => (scrubbing = false)}
      onwheel={wheel}
    >
      {#each bench.shot.items as it (it.id)}
        <Row {bench} item={it} {scale} {frameAt} />
        {#if bench.selection.itemId === it.id}
          {#each bench.selection.holdouts as holdout (holdout.id)}<HoldoutRow {bench} {holdout} {scale} />{/each}
        {/if}
      {:else}
        <div class="h-[28px]"></div>
      {/each}
      {#if kept && things.listed}
        <div class="h-[24px] border-b border-base-300"></div>
        {#each things.tracks as t (t.track.id)}<TrackRow row={t} {scale} />{/each}
      {/if}
      <div
        class="pointer-events-none absolute inset-y-0 left-0 w-px bg-(--playhead) will-change-transform"
        style="transform:translateX({scale.x(bench.playhead.frame)}px)"
        role="slider"
        tabindex="0"
        aria-label="Playhead"
        aria-valuemin="0"
        aria-valuemax={bench.shot.last}
        aria-valuenow={bench.playhead.frame}
        aria-valuetext={core.timecode({ frame: bench.playhead.frame })}
      >
        <span class="absolute -top-0 -left-[4px] h-[5px] w-[9px] bg-(--playhead)"></span>
      </div>
    </div>
  </div>
  {#if !scale.fits}
    <div class="col-start-2 mt-px h-[9px] bg-base-200" data-testid="shown-part">
      <div
        class="h-full cursor-grab rounded-sm bg-(--slat-off) hover:bg-(--slat)"
        style="margin-left:{(100 * scale.first) / scale.frames}%;width:max(12px,{(100 * scale.shown) / scale.frames}%)"
        role="presentation"
        onpointerdown={(e) => {
          (e.currentTarget as Element).setPointerCapture(e.pointerId);
          grip = { x: xOf(e), first: scale.first };
        }}
        onpointermove={(e) =>
          grip && scale.scroll(grip.first + ((xOf(e) - grip.x) * scale.frames) / scale.width - scale.first)}
        onpointerup={() => (grip = undefined)}
      ></div>
    </div>
  {/if}
</div>
