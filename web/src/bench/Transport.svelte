<script lang="ts">
  import ChevronFirst from '@lucide/svelte/icons/chevron-first';
  import ChevronLast from '@lucide/svelte/icons/chevron-last';
  import ChevronLeft from '@lucide/svelte/icons/chevron-left';
  import ChevronRight from '@lucide/svelte/icons/chevron-right';
  import Pause from '@lucide/svelte/icons/pause';
  import Play from '@lucide/svelte/icons/play';
  import Volume2 from '@lucide/svelte/icons/volume-2';
  import VolumeX from '@lucide/svelte/icons/volume-x';
  import Repeat from '@lucide/svelte/icons/repeat';
  import type { Bench } from './bench.svelte';
  import { core } from '../core/core';

  let { bench }: { bench: Bench } = $props();
  let goto = $state('');

  function go(e: Event) {
    e.preventDefault();
    const t = goto.trim();
    if (!t) return;
    try {
      const f = core.frameOf({ text: t, now: bench.playhead.whole });
      if (f < 0 || f > bench.shot.last)
        throw new Error(
          `The shot runs from ${core.timecode({ frame: 0 })} (f 0) ` +
            `to ${core.timecode({ frame: bench.shot.last })} (f ${bench.shot.last}).`,
        );
      bench.notice.text = '';
      bench.playhead.seek(f);
      goto = '';
      (document.activeElement as HTMLElement | null)?.blur();
    } catch (err) {
      bench.notice.say(err);
    }
  }
  const looks = { concealed: 'Concealed', clean: 'Clean', matte: 'Matte', side: 'Side by side', wipe: 'Wipe' };
  const scans: [boolean, string, string][] = [
    [false, 'Fields', 'One field at a time, each at its own time'],
    [true, 'Woven', 'Both fields of the frame'],
  ];
  const percent = $derived(
    bench.viewport.zoom && ![1, 2, 4].includes(bench.viewport.zoom) ? `${Math.round(100 * bench.viewport.zoom)} %` : '',
  );
</script>

<div
  class="flex h-9 items-center gap-1 px-2"
  data-testid="transport"
  data-speed={bench.playhead.speed}
  data-lag={bench.sounding.lag}
>
  <button class="btn btn-square btn-ghost btn-xs" aria-label="Previous key (up)" onclick={() => bench.keying.go(-1)}
    ><ChevronFirst size={15} /></button
  >
  <button
    class="btn btn-square btn-ghost btn-xs"
    aria-label="Previous frame (left)"
    onclick={() => bench.playhead.seek(bench.playhead.frame - bench.playhead.step)}><ChevronLeft size={15} /></button
  >
  <button
    class="btn btn-square btn-xs"
    aria-label={bench.playhead.speed ? 'Pause (space)' : 'Play (space)'}
    onclick={() => bench.playhead.play(bench.playhead.speed ? 0 : 1)}
  >
    {#if bench.playhead.speed}<Pause size={15} />{:else}<Play size={15} />{/if}
  </button>
  <button
    class="btn btn-square btn-ghost btn-xs"
    aria-label="Next frame (right)"
    onclick={() => bench.playhead.seek(bench.playhead.frame + bench.playhead.step)}><ChevronRight size={15} /></button
  >
  <button class="btn btn-square btn-ghost btn-xs" aria-label="Next key (down)" onclick={() => bench.keying.go(1)}
    ><ChevronLast size={15} /></button
  >
  <button
    class="btn btn-square btn-ghost btn-xs {bench.playhead.loop ? 'text-primary' : 'quiet'}"
    aria-label="Loop (Shift+K)"
    aria-pressed={bench.playhead.loop}
    onclick={() => (bench.playhead.loop = !bench.playhead.loop)}><Repeat size={14} /></button
  >
  <span class="tc quiet w-10 text-[12px]"
    >{#if bench.playhead.speed}{bench.playhead.speed > 0 ? '' : '−'}{Math.abs(bench.playhead.speed)}×{/if}</span
  >
  {#if bench.sounding.all.length}
    <button
      class="btn btn-square btn-ghost btn-xs {bench.sounding.on ? '' : 'text-warning'}"
      aria-label={bench.sounding.on ? 'Sound off (Alt+Space)' : 'Sound on (Alt+Space)'}
      aria-pressed={bench.sounding.on}
      onclick={() => bench.sounding.setOn(!bench.sounding.on)}
      >{#if bench.sounding.on}<Volume2 size={14} />{:else}<VolumeX size={14} />{/if}</button
    >
    <input
      type="range"
      class="h-1 w-14 accent-(--slat)"
      aria-label="Level of the sound"
      min="0"
      max="1"
      step="0.05"
      value={bench.sounding.level}
      oninput={(e) => bench.sounding.louder(Number(e.currentTarget.value))}
    />
  {/if}
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
          bench.notice.text = '';
          e.currentTarget.blur();
        }
      }}
    />
  </form>
  {#if bench.selection.cover && !bench.sounding.passage}
    <button
      class="btn ml-2 btn-xs"
      disabled={bench.selection.cover.locked}
      aria-label="Span begins here (I)"
      onclick={() => bench.keying.setSpan('first')}>Begins here</button
    >
    <span class="tc" data-testid="span">{bench.selection.cover.span.first}–{bench.selection.cover.span.last}</span>
    <button
      class="btn btn-xs"
      disabled={bench.selection.cover.locked}
      aria-label="Span ends here (O)"
      onclick={() => bench.keying.setSpan('last')}>Ends here</button
    >
  {/if}
  {#if bench.shot.fields}
    <div class="join ml-auto" role="group" aria-label="Interlaced pictures">
      {#each scans as [on, name, says] (name)}
        <button
          class="btn join-item px-2 btn-xs {bench.viewport.woven === on ? 'bg-base-300' : ''}"
          aria-pressed={bench.viewport.woven === on}
          title={says}
          onclick={() => bench.setWoven(on)}>{name}</button
        >
      {/each}
    </div>
  {/if}
  <select
    class="select {bench.shot.fields ? '' : 'ml-auto'} w-30 select-xs"
    aria-label="What is shown"
    bind:value={bench.viewport.mode}
  >
    {#each Object.entries(looks) as [k, t] (k)}<option value={k}>{t}</option>{/each}
    {#if bench.viewport.mode === 'pair'}<option value="pair">Two treatments</option>{/if}
  </select>
  <button
    class="btn btn-xs {bench.viewport.overlays ? 'bg-base-300' : ''}"
    aria-pressed={bench.viewport.overlays}
    onclick={() => (bench.viewport.overlays = !bench.viewport.overlays)}>Overlays</button
  >
  <button
    class="btn btn-xs {bench.viewport.steady ? 'btn-primary' : ''}"
    aria-pressed={bench.viewport.steady}
    disabled={!bench.selection.cover}
    onclick={() => bench.setSteady(!bench.viewport.steady)}>Steady</button
  >
  <div class="join" role="group" aria-label="Zoom">
    <button
      class="btn join-item px-2 btn-xs {bench.viewport.zoom === 0 ? 'bg-base-300' : ''}"
      aria-pressed={bench.viewport.zoom === 0}
      onclick={() => ((bench.viewport.zoom = 0), (bench.viewport.centre = undefined))}>Fit</button
    >
    {#each [1, 2, 4] as z (z)}
      <button
        class="btn join-item px-1.5 btn-xs {bench.viewport.zoom === z ? 'bg-base-300' : ''}"
        aria-label="{100 * z} %"
        aria-pressed={bench.viewport.zoom === z}
        onclick={() => (bench.viewport.zoom = z)}>{100 * z}</button
      >
    {/each}
    <button
      class="btn join-item px-2 btn-xs {percent ? 'bg-base-300' : ''}"
      disabled={!bench.selection.cover}
      aria-label="Zoom to the item (Z)"
      onclick={() => bench.zoomToSelection()}>{percent || 'Item'}</button
    >
  </div>
</div>
