<script lang="ts">
  import ChevronFirst from '@lucide/svelte/icons/chevron-first';
  import ChevronLast from '@lucide/svelte/icons/chevron-last';
  import ChevronLeft from '@lucide/svelte/icons/chevron-left';
  import ChevronRight from '@lucide/svelte/icons/chevron-right';
  import Pause from '@lucide/svelte/icons/pause';
  import Play from '@lucide/svelte/icons/play';
  import type { Bench } from '../lib/bench.svelte';
  import { core } from '../lib/core';

  let { b }: { b: Bench } = $props();
  let track = $state<HTMLDivElement>();
  let width = $state(100);
  let goto = $state('');

  $effect(() => {
    const o = new ResizeObserver(([e]) => (width = e!.contentRect.width));
    o.observe(track!);
    return () => o.disconnect();
  });

  const frames = $derived(b.last + 1);
  const step = $derived(width / frames);
  const x = (f: number) => (f + 0.5) * step;
  const frameAt = (e: PointerEvent) => Math.min(Math.max(Math.floor((e.clientX - track!.getBoundingClientRect().left) / step), 0), b.last);

  let scrubbing = false;
  function down(e: PointerEvent) {
    if (e.button !== 0) return;
    scrubbing = true;
    (e.currentTarget as Element).setPointerCapture(e.pointerId);
    b.play(0);
    b.seek(frameAt(e));
  }

  let pin = $state<{ from: number; to: number }>();
  function pinDown(e: PointerEvent, item: string, f: number) {
    e.stopPropagation();
    b.item = item;
    b.seek(f);
    (e.currentTarget as Element).setPointerCapture(e.pointerId);
    pin = { from: f, to: f };
  }
  function pinUp() {
    if (pin && pin.from !== pin.to) {
      const { from, to } = pin;
      pin = undefined;
      b.moveKey(from, to);
      b.seek(to);
    }
    pin = undefined;
  }

  let end = $state<{ side: 'first' | 'last'; frame: number }>();
  function endUp() {
    const c = b.cover;
    if (end && c) {
      const { side, frame } = end;
      const span = { ...c.span, [side]: frame };
      if (span.first <= span.last && c.span[side] !== frame) void b.save([{ do: 'span', cover: c.id, span }]);
    }
    end = undefined;
  }

  function go(e: Event) {
    e.preventDefault();
    const t = goto.trim();
    if (!t) return;
    try {
      const f = /^f?\s*\d+$/i.test(t) ? Number(t.replace(/\D/g, '')) : core.frameOf(t);
      if (f < 0 || f > b.last) throw new Error(`The shot runs from ${core.timecode(0)} (f 0) to ${core.timecode(b.last)} (f ${b.last}).`);
      b.seek(f);
      b.error = '';
      goto = '';
      (document.activeElement as HTMLElement | null)?.blur();
    } catch (err) {
      b.say(err);
    }
  }
</script>

<div class="flex h-9 items-center gap-1 px-2">
  <button class="btn btn-ghost btn-xs btn-square" aria-label="Previous key (up)" onclick={() => b.key(-1)}><ChevronFirst size={15} /></button>
  <button class="btn btn-ghost btn-xs btn-square" aria-label="Previous frame (left)" onclick={() => b.seek(b.frame - 1)}><ChevronLeft size={15} /></button>
  <button class="btn btn-xs btn-square" aria-label={b.speed ? 'Pause (space)' : 'Play (space)'} onclick={() => b.play(b.speed ? 0 : 1)}>
    {#if b.speed}<Pause size={15} />{:else}<Play size={15} />{/if}
  </button>
  <button class="btn btn-ghost btn-xs btn-square" aria-label="Next frame (right)" onclick={() => b.seek(b.frame + 1)}><ChevronRight size={15} /></button>
  <button class="btn btn-ghost btn-xs btn-square" aria-label="Next key (down)" onclick={() => b.key(1)}><ChevronLast size={15} /></button>
  {#if b.speed}<span class="tc quiet w-10">{b.speed > 0 ? '' : '−'}{Math.abs(b.speed)}×</span>{/if}
  <form onsubmit={go} class="ml-2"><input id="goto" class="input input-xs tc w-28" aria-label="Go to a frame or timecode (G)" placeholder="go to" bind:value={goto} /></form>
  {#if b.cover}
    <span class="quiet ml-3">span</span>
    <button class="btn btn-xs" onclick={() => b.setSpan('first')}>Begins here</button>
    <span class="tc" data-testid="span">{b.cover.span.first}–{b.cover.span.last}</span>
    <button class="btn btn-xs" onclick={() => b.setSpan('last')}>Ends here</button>
  {/if}
  <div class="join ml-auto" role="group" aria-label="Zoom">
    {#each [[0, 'Fit'], [1, '100 %'], [2, '200 %']] as const as [z, t] (z)}
      <button class="btn btn-xs join-item {b.zoom === z ? 'btn-primary' : ''}" aria-pressed={b.zoom === z} onclick={() => (b.zoom = z)}>{t}</button>
    {/each}
  </div>
</div>

<div class="grid max-h-44 overflow-auto pb-2" style="grid-template-columns: 124px minmax(0,1fr) 12px">
  <div class="flex flex-col pt-4">
    {#each b.items as it (it.id)}
      <button class="h-8 truncate px-2 text-left {b.item === it.id ? 'text-primary font-medium' : 'quiet'}" onclick={() => (b.item = it.id)}>{it.name}</button>
    {:else}
      <span class="quiet px-2 py-2">No items</span>
    {/each}
  </div>
  <div
    bind:this={track}
    class="relative touch-none select-none"
    role="group"
    aria-label="Louvre: one slat per item"
    data-testid="louvre"
    onpointerdown={down}
    onpointermove={(e) => scrubbing && b.seek(frameAt(e))}
    onpointerup={() => (scrubbing = false)}
  >
    <div class="tc quiet relative h-4 overflow-hidden text-[11px]">
      {#each Array.from({ length: Math.ceil(frames / 25) }, (_, i) => i * 25) as f (f)}
        <span class="border-base-300 absolute border-l pl-0.5" style="left:{f * step}px">{f}</span>
      {/each}
    </div>
    {#each b.items as it (it.id)}
      {@const cover = b.coverOf(it.id)}
      {@const hand = b.item === it.id}
      {@const first = hand && end?.side === 'first' ? end.frame : (cover?.span.first ?? 0)}
      {@const last = hand && end?.side === 'last' ? end.frame : (cover?.span.last ?? -1)}
      {@const lit = cover?.off ? '#6b6b6b' : hand ? '#b8964c' : '#8d8d8d'}
      <div class="border-base-300 relative h-8 border-b">
        <div class="absolute inset-x-0 top-[15px] h-px bg-[#3a3a3a]"></div>
        {#if cover && last >= first}
          <!-- One thin slat a frame. -->
          <div
            class="absolute top-2 h-[15px]"
            style="left:{first * step}px;width:{(last - first + 1) * step}px;background:{cover.off
              ? `repeating-linear-gradient(135deg,#4a4a4a 0 3px,transparent 3px 7px)`
              : `repeating-linear-gradient(90deg,${lit} 0 ${Math.max(step * 0.72, 1)}px,transparent ${Math.max(step * 0.72, 1)}px ${Math.max(step, 1.4)}px)`}"
          ></div>
          {#if hand}
            {#each ['first', 'last'] as const as side (side)}
              <div
                class="absolute top-1 h-[23px] w-2 cursor-ew-resize border-y-2 border-[#f0cd7c] {side === 'first' ? 'border-l-2' : 'border-r-2'}"
                style="left:{side === 'first' ? first * step - 3 : (last + 1) * step - 5}px"
                role="presentation"
                data-testid="span-{side}"
                onpointerdown={(e) => {
                  e.stopPropagation();
                  (e.currentTarget as Element).setPointerCapture(e.pointerId);
                  end = { side, frame: cover.span[side] };
                }}
                onpointermove={(e) => {
                  if (end) {
                    end = { side, frame: frameAt(e) };
                    b.seek(end.frame);
                  }
                }}
                onpointerup={endUp}
              ></div>
            {/each}
          {/if}
          {#each b.keysOf.get(cover.id) ?? [] as f (f)}
            {@const at = hand && pin?.from === f ? pin.to : f}
            {@const inside = f >= cover.span.first && f <= cover.span.last}
            <button
              class="absolute top-0 h-8 w-[9px] -translate-x-1/2 cursor-pointer"
              style="left:{x(at)}px;opacity:{inside ? 1 : 0.4}"
              aria-label="Key at frame {f}"
              data-testid="key"
              onpointerdown={(e) => pinDown(e, it.id, f)}
              onpointermove={(e) => pin && (pin = { from: pin.from, to: frameAt(e) })}
              onpointerup={pinUp}
            >
              <span class="mx-auto block h-[7px] w-[7px] rounded-full border border-[#161616] {hand ? 'bg-[#f7dc9a]' : 'bg-[#c9c9c9]'}"></span>
              <span class="mx-auto block h-[22px] w-px {hand ? 'bg-[#f7dc9a]' : 'bg-[#c9c9c9]'}"></span>
            </button>
          {/each}
        {/if}
      </div>
    {/each}
    <div class="pointer-events-none absolute inset-y-0 w-px bg-white" style="left:{x(b.frame)}px" role="slider" tabindex="0" aria-label="Playhead" aria-valuemin="0" aria-valuemax={b.last} aria-valuenow={b.frame} aria-valuetext={core.timecode(b.frame)}><span class="absolute -top-0 -left-[4px] h-[5px] w-[9px] bg-white"></span></div>
  </div>
</div>
