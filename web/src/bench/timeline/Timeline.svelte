<script lang="ts">
  import type { Bench } from '../bench.svelte';
  import type { Cover } from '../../api/api';
  import { core } from '../../core/core';
  import { crossing } from '../holdout/holdouts.svelte';

  let { bench }: { bench: Bench } = $props();
  let track = $state<HTMLDivElement>();
  let width = $state(100);

  $effect(() => {
    const o = new ResizeObserver(([e]) => (width = e!.contentRect.width));
    o.observe(track!);
    return () => o.disconnect();
  });

  const frames = $derived(bench.shot.last + 1);
  const step = $derived(width / frames);
  const x = (f: number) => (f + 0.5) * step;
  const frameAt = (e: PointerEvent) =>
    Math.min(Math.max(Math.floor((e.clientX - track!.getBoundingClientRect().left) / step), 0), bench.shot.last);
  /** Frames between the ruler's marks: a round number of them, far enough apart to read. */
  const every = $derived([1, 5, 10, 25, 50, 100, 250, 500, 1000, 5000, 10000].find((n) => n * step >= 44) ?? 50000);

  /** A bar with a notch below: a severe finding. */
  const notch = '45%,calc(50% + 5px) 45%,50% 100%,calc(50% - 5px) 45%,0 45%';
  const notched = `background:#e8684a;clip-path:polygon(0 0,100% 0,100% ${notch})`;

  // States of a followed frame as they lie on the row; a good one is the row itself.
  const states: Record<string, { name: string; fill: string; more: string }> = {
    w: { name: 'Weak', fill: 'repeating-linear-gradient(135deg,#262626 0 3px,#c9a24f 3px 6px)', more: '' },
    l: {
      name: 'Lost',
      fill: '#d9573a',
      more: 'clip-path:polygon(0 0,100% 0,100% 100%,calc(50% + 4px) 100%,50% 45%,calc(50% - 4px) 100%,0 100%)',
    },
    o: {
      name: 'Outside the picture',
      fill: '#262626',
      more: 'border-top:1px dashed #8d8d8d;border-bottom:1px dashed #8d8d8d',
    },
    '-': { name: 'Not followed', fill: '#262626', more: 'border-bottom:1px solid #6b6b6b' },
  };
  function stretches(states: string, at: number, first: number, last: number): [string, number, number][] {
    const out: [string, number, number][] = [];
    for (let f = first; f <= last; f++) {
      const c = states[f - at] ?? '-';
      if (c === 'g' || c === 'a') continue;
      const end = out.at(-1);
      if (end && end[0] === c && end[2] === f - 1) end[2] = f;
      else out.push([c, f, f]);
    }
    return out;
  }

  /** What lies above the confidence of each frame that was found. */
  function doubt(known: { states: string; first: number; sure: number[] }, first: number, last: number): string {
    let d = 'M0 0';
    for (let f = first; f <= last; f++) {
      const c = known.states[f - known.first] ?? '-';
      const top = 'agw'.includes(c) ? 1 - (known.sure[f - known.first] ?? 1) : 0;
      d += `V${top.toFixed(2)}h1`;
    }
    return d + 'V0Z';
  }

  let scrubbing = false;
  function down(e: PointerEvent) {
    if (e.button !== 0) return;
    scrubbing = true;
    (e.currentTarget as Element).setPointerCapture(e.pointerId);
    bench.playhead.pause();
    bench.keying.picked = [];
    bench.playhead.seek(frameAt(e));
  }

  /** A key, or all that are picked, is moved along the row, no further than the span. */
  let pin = $state<{ from: number; by: number }>();
  function pinDown(e: PointerEvent, item: string, f: number) {
    e.stopPropagation();
    bench.selection.select(item);
    if (e.shiftKey || e.ctrlKey) {
      bench.keying.picked = bench.keying.picked.includes(f)
        ? bench.keying.picked.filter((p) => p !== f)
        : [...bench.keying.picked, f];
      return;
    }
    if (!bench.keying.picked.includes(f)) bench.keying.picked = [];
    bench.playhead.seek(f);
    if (bench.selection.cover?.locked) return;
    (e.currentTarget as Element).setPointerCapture(e.pointerId);
    pin = { from: f, by: 0 };
  }
  function pinMove(e: PointerEvent) {
    if (!pin || !bench.selection.cover) return;
    const all = bench.keying.picked.length ? bench.keying.picked : [pin.from];
    const { first, last } = bench.selection.cover.span;
    pin = {
      from: pin.from,
      by: Math.min(Math.max(frameAt(e) - pin.from, first - Math.min(...all)), last - Math.max(...all)),
    };
  }
  function pinUp() {
    const p = pin;
    pin = undefined;
    if (!p || p.by === 0) return;
    bench.keying.move(bench.keying.picked.length ? bench.keying.picked : [p.from], p.by);
    bench.playhead.seek(p.from + p.by);
  }
  const moving = (f: number) => (pin && (f === pin.from || bench.keying.picked.includes(f)) ? f + pin.by : f);

  let end = $state<{ side: 'first' | 'last'; frame: number }>();
  function endUp() {
    const e = end;
    end = undefined;
    if (e) bench.keying.setSpan(e.side, e.frame);
  }

  /** Runs of consecutive frames. */
  function runs(fs: number[]): [number, number][] {
    const out: [number, number][] = [];
    for (const f of fs) {
      const l = out.at(-1);
      if (l && l[1] === f - 1) l[1] = f;
      else out.push([f, f]);
    }
    return out;
  }
  const stripes = (colour: string) => {
    const w = Math.max(step * 0.72, 1);
    return `repeating-linear-gradient(90deg,${colour} 0 ${w}px,transparent ${w}px ${Math.max(step, 1.4)}px)`;
  };
  const kinds = (id: string, f: number) => {
    const on = bench.session.rows
      .get(id)!
      .lanes.filter((l) => l.frames.includes(f))
      .map((l) => l.name);
    return {
      place: on.includes('placement'),
      shape: on.some((n) => n.startsWith('outline/')),
      number: on.some((n) => n !== 'placement' && !n.startsWith('outline/')),
    };
  };
  const words = (k: { place: boolean; shape: boolean; number: boolean }) =>
    [k.place && 'place', k.shape && 'shape', k.number && 'numbers'].filter(Boolean).join(' and ');
</script>

<!-- A holdout: grey stripes where it holds out, an edge only where it does not; how much is
     found in front, frame by frame; the four frames of its crossing. -->
{#snippet front(hold: Cover)}
  {@const row = bench.session.rows.get(hold.id)}
  {@const taken = hold.proposed ? hold.proposed.accepted : [hold.span]}
  <div class="relative h-5 border-b border-base-300" data-testid="holdout-row">
    <div
      class="absolute top-1 h-[11px] border border-dashed border-[#6b6b6b]"
      style="left:{hold.span.first * step}px;width:{(hold.span.last - hold.span.first + 1) * step}px"
    ></div>
    {#if !hold.off}
      {#each taken as s (s.first)}
        {@const [from, to] = [Math.max(s.first, hold.span.first), Math.min(s.last, hold.span.last)]}
        {#if to >= from}<div
            class="absolute top-1 h-[11px]"
            style="left:{from * step}px;width:{(to - from + 1) *
              step}px;background:repeating-linear-gradient(135deg,#a8a8a8 0 3px,#3a3a3a 3px 6px)"
            data-testid="held-out"
          ></div>{/if}
      {/each}
    {/if}
    {#if row?.shares.length}
      <svg
        class="pointer-events-none absolute top-1"
        style="left:{row.begin * step}px;width:{row.shares.length * step}px;height:11px"
        viewBox="0 0 {row.shares.length} 1"
        preserveAspectRatio="none"
        data-testid="shares"
      >
        <path
          d={'M0 1' + row.shares.map((s) => `V${(1 - Math.min(Math.sqrt(s), 1)).toFixed(2)}h1`).join('') + 'V1Z'}
          fill="#f2f2f2"
          fill-opacity=".75"
        />
      </svg>
    {/if}
    {#each hold.crossing ?? [] as f, i (i)}
      {#if f >= 0}<button
          class="absolute top-0 h-5 w-[11px] -translate-x-1/2 text-[10px] leading-none text-white"
          style="left:{x(f)}px"
          aria-label="{crossing[i]![0]}: frame {f}"
          onpointerdown={(e) => (e.stopPropagation(), bench.holdouts.select(hold.id), bench.playhead.seek(f))}
          ><span class="mx-auto block h-full w-px bg-white"></span><span class="absolute top-0 left-[7px]">{i + 1}</span
          ></button
        >{/if}
    {/each}
  </div>
{/snippet}

<div class="grid max-h-44 overflow-auto pb-2" style="grid-template-columns: 124px minmax(0,1fr) 12px">
  <div class="flex flex-col pt-4">
    {#each bench.shot.items as it (it.id)}
      <button
        class="h-8 shrink-0 truncate px-2 text-left {bench.selection.itemId === it.id
          ? 'font-medium text-primary'
          : 'quiet'}"
        onclick={() => (bench.selection.itemId === it.id ? bench.holdouts.close() : bench.selection.select(it.id))}
        >{it.name}</button
      >
      {#if bench.selection.itemId === it.id}
        {#each bench.selection.holdouts as hold (hold.id)}
          <button
            class="h-5 shrink-0 truncate pr-2 pl-5 text-left text-[12px] {bench.selection.holdoutId === hold.id
              ? 'text-primary'
              : 'quiet'}"
            onclick={() => bench.holdouts.select(hold.id)}>{hold.name}</button
          >
        {/each}
      {/if}
    {:else}
      <span class="quiet px-2 py-2">No items</span>
    {/each}
  </div>
  <div
    bind:this={track}
    class="relative touch-none select-none"
    role="group"
    aria-label="Louvre: one row per item"
    data-testid="timeline"
    onpointerdown={down}
    onpointermove={(e) => scrubbing && bench.playhead.seek(frameAt(e))}
    onpointerup={() => (scrubbing = false)}
  >
    <div class="tc quiet relative h-4 overflow-hidden text-[11px]">
      {#each Array.from({ length: Math.ceil(frames / every) }, (_, i) => i * every) as f (f)}
        <span class="absolute border-l border-base-300 pl-0.5" style="left:{f * step}px">{f}</span>
      {/each}
    </div>
    {#each bench.shot.items as it (it.id)}
      {@const cover = bench.session.coverOf(it.id)}
      {@const row = cover && bench.session.rows.get(cover.id)}
      {@const isSelected = bench.selection.itemId === it.id}
      {@const first = isSelected && end?.side === 'first' ? end.frame : (cover?.span.first ?? 0)}
      {@const last = isSelected && end?.side === 'last' ? end.frame : (cover?.span.last ?? -1)}
      {@const lit = cover?.off ? '#6b6b6b' : isSelected ? '#b8964c' : '#8d8d8d'}
      <div class="relative h-8 border-b border-base-300">
        <div class="absolute inset-x-0 top-[15px] h-px bg-[#3a3a3a]"></div>
        {#if cover && row && last >= first}
          {@const held = cover.track ? first : Math.min(Math.max(row.keys[0] ?? first, first), last + 1)}
          <!-- One thin row a frame; before the first key, which holds backward, only its edge. -->
          {#if cover.off}
            <div
              class="absolute top-2 h-[13px]"
              style="left:{first * step}px;width:{(last - first + 1) *
                step}px;background:repeating-linear-gradient(135deg,#4a4a4a 0 3px,transparent 3px 7px)"
            ></div>
          {:else}
            <div
              class="absolute top-2 h-[13px]"
              style="left:{held * step}px;width:{(last - held + 1) * step}px;background:{stripes(lit)}"
            ></div>
            {#if held > first}
              <div
                class="absolute top-2 h-[13px] border-y-2"
                style="left:{first * step}px;width:{(held - first) * step}px;border-color:{lit}"
                title="The first key, at f {held}, holds backward"
                data-testid="held-backward"
              ></div>
            {/if}
          {/if}
          <!-- How its track is known: weak hatched, lost notched, outside or not followed only an edge. -->
          {@const known = bench.following.states(cover)}
          {#if known && !cover.off}
            {#each stretches(known.states, known.first, first, last) as [c, from, to] (from)}
              <div
                class="absolute top-2 h-[13px]"
                style="left:{from * step}px;width:{Math.max((to - from + 1) * step, 2)}px;background:{states[c]!
                  .fill};{states[c]!.more}"
                title="{states[c]!.name}, f {from}–{to}"
                data-testid="state-{c}"
              ></div>
            {/each}
            <!-- The surer a frame, the fuller its row. -->
            <svg
              class="pointer-events-none absolute top-2"
              style="left:{first * step}px;width:{(last - first + 1) * step}px;height:13px"
              viewBox="0 0 {last - first + 1} 1"
              preserveAspectRatio="none"
              data-testid="sure"
            >
              <path d={doubt(known, first, last)} fill="#1c1c1c" fill-opacity=".8" />
            </svg>
            {#each known.anchors as f (f)}
              <button
                class="absolute top-[3px] h-[10px] w-[10px] -translate-x-1/2 rotate-45 border border-[#161616] bg-white"
                style="left:{x(f)}px"
                aria-label="Anchor at frame {f}"
                data-testid="anchor"
                onpointerdown={(e) => (e.stopPropagation(), bench.selection.select(it.id), bench.playhead.seek(f))}
              ></button>
            {/each}
          {/if}
          <!-- A line under what was looked at since the last change. -->
          {#each runs(bench.looked.frames[cover.id] ?? []) as [from, to] (from)}
            <div
              class="absolute top-[24px] h-[3px] bg-[#6fb39d]"
              style="left:{from * step}px;width:{Math.max((to - from + 1) * step, 3)}px"
              data-testid="looked-at"
            ></div>
          {/each}
          <!-- What the check found: severe ones notched from above, minor ones as an edge. -->
          {#each bench.checking.of(cover.id).filter((f) => f.state === 'open') as f (f.id)}
            {#each f.frames as s (s.first)}
              <button
                class="absolute top-[1px] h-[8px] cursor-pointer"
                style="left:{s.first * step}px;width:{Math.max((s.last - s.first + 1) * step, 5)}px;{f.severity ===
                'severe'
                  ? notched
                  : 'border-top:2px dashed #e0bd6b'}"
                aria-label="{f.title}, f {s.first}–{s.last}"
                title={f.title}
                data-testid="row-finding"
                onpointerdown={(e) => (e.stopPropagation(), bench.checking.go(f))}
              ></button>
            {/each}
          {/each}
          {#if isSelected && !cover.locked}
            {#each ['first', 'last'] as const as side (side)}
              <div
                class="absolute top-1 h-[23px] w-2 cursor-ew-resize border-y-2 border-[#f0cd7c] {side === 'first'
                  ? 'border-l-2'
                  : 'border-r-2'}"
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
                    bench.playhead.seek(end.frame);
                  }
                }}
                onpointerup={endUp}
              ></div>
            {/each}
          {/if}
          {#each row.keys as f (f)}
            {@const k = kinds(cover.id, f)}
            {@const inside = f >= cover.span.first && f <= cover.span.last}
            {@const picked = isSelected && bench.keying.picked.includes(f)}
            {@const colour = picked ? '#ffffff' : isSelected ? '#f7dc9a' : '#c9c9c9'}
            <button
              class="absolute top-0 flex h-8 w-[11px] -translate-x-1/2 cursor-pointer flex-col items-center"
              style="left:{x(isSelected ? moving(f) : f)}px;opacity:{inside ? 1 : 0.45}"
              aria-label="Key at frame {f}: {words(k)}{inside ? '' : ', outside the span'}"
              aria-pressed={picked}
              data-testid="key"
              onpointerdown={(e) => pinDown(e, it.id, f)}
              onpointermove={pinMove}
              onpointerup={pinUp}
            >
              {#if k.place}<span
                  class="h-[7px] w-[7px] shrink-0 rounded-full border border-[#161616]"
                  style="background:{colour}"
                ></span>{/if}
              {#if k.shape}<span
                  class="h-[6px] w-[6px] shrink-0 rotate-45 border border-[#161616]"
                  style="background:{colour}"
                ></span>{/if}
              <span class="w-px flex-1" style="background:{colour}"></span>
              {#if k.number}<span class="h-[4px] w-[7px] shrink-0 border border-[#161616]" style="background:{colour}"
                ></span>{/if}
            </button>
          {/each}
        {/if}
      </div>
      {#if isSelected}
        {#each bench.selection.holdouts as hold (hold.id)}{@render front(hold)}{/each}
      {/if}
    {/each}
    <div
      class="pointer-events-none absolute inset-y-0 left-0 w-px bg-white will-change-transform"
      style="transform:translateX({x(bench.playhead.frame)}px)"
      role="slider"
      tabindex="0"
      aria-label="Playhead"
      aria-valuemin="0"
      aria-valuemax={bench.shot.last}
      aria-valuenow={bench.playhead.frame}
      aria-valuetext={core.timecode({ frame: bench.playhead.frame })}
    >
      <span class="absolute -top-0 -left-[4px] h-[5px] w-[9px] bg-white"></span>
    </div>
  </div>
</div>
