<script lang="ts">
  // An item's row of the louvre: its cover's span, how its track is known, corrections, what
  // was looked at, what the check found, and keys.
  import type { Bench } from '../bench.svelte';
  import type { Item } from '../../api/api';
  import Keys from './Keys.svelte';
  import type { Scale } from './scale.svelte';
  import { doubt, notched, runs, states, stretches } from './states';

  interface Props {
    bench: Bench;
    item: Item;
    scale: Scale;
    frameAt: (e: PointerEvent) => number;
  }
  let { bench, item, scale, frameAt }: Props = $props();
  const cover = $derived(bench.session.coverOf(item.id));
  const row = $derived(cover && bench.session.rows.get(cover.id));
  const isSelected = $derived(bench.selection.itemId === item.id);
  let end = $state<{ side: 'first' | 'last'; frame: number }>();
  const first = $derived(end?.side === 'first' ? end.frame : (cover?.span.first ?? 0));
  const last = $derived(end?.side === 'last' ? end.frame : (cover?.span.last ?? -1));
  const lit = $derived(cover?.off ? 'var(--slat-off)' : isSelected ? 'var(--slat-in-hand)' : 'var(--slat)');
  const known = $derived(cover && bench.following.states(cover));

  const place = (from: number, to: number, least = 0) => {
    const { left, width } = scale.stretch(from, to, least);
    return `left:${left}px;width:${width}px`;
  };
  /** One thin slat a frame, while frames are that large. */
  const slats = $derived.by(() => {
    if (scale.step < 1.4) return lit;
    const w = Math.max(scale.step * 0.72, 1);
    return `0 0/${scale.step}px 100% repeat-x linear-gradient(90deg,${lit} 0 ${w}px,transparent ${w}px)`;
  });
  const slatted = (from: number, to: number) => {
    const { left, width } = scale.stretch(from, to);
    // The pattern begins at the stretch's own first frame, also where that is out of sight.
    const shift = scale.left(from) - left;
    return `left:${left}px;width:${width}px;background:${slats};background-position-x:${shift}px`;
  };
  function endUp() {
    const e = end;
    end = undefined;
    if (e) bench.keying.setSpan(e.side, e.frame);
  }
  const findings = $derived(
    cover
      ? bench.checking.of(cover.id).flatMap((f) => (f.state === 'open' ? f.frames.map((s) => ({ f, s })) : []))
      : [],
  );
</script>

<div class="relative h-[28px] overflow-hidden border-b border-base-300 {isSelected ? 'bg-base-200' : ''}">
  <div class="absolute inset-x-0 top-[13px] h-px bg-(--rule)"></div>
  {#each bench.sounding.passages.filter((p) => p.item === item.id && !p.off) as p (p.id)}
    {@const at = scale.stretch(p.from, p.to - 1, 3)}
    <button
      class="absolute top-[10px] h-[7px] border-x-2 border-(--slat) bg-(--slat)/40"
      style="left:{at.left}px;width:{at.width}px"
      aria-label="In the sound: {p.name}"
      title="In the sound: {p.name}"
      onpointerdown={(e) => (e.stopPropagation(), bench.selection.select(item.id), (bench.sounding.picked = p.id))}
    ></button>
  {/each}
  {#if cover && row && last >= first}
    {@const held = cover.track ? first : Math.min(Math.max(row.keys[0] ?? first, first), last + 1)}
    <!-- Before the first key, which holds backward, only an edge. -->
    {#if cover.off}
      <div
        class="absolute top-[7px] h-[13px]"
        style="{place(
          first,
          last,
        )};background:repeating-linear-gradient(135deg,var(--slat-off) 0 3px,transparent 3px 7px)"
      ></div>
    {:else}
      <div class="absolute top-[7px] h-[13px]" style={slatted(held, last)}></div>
      {#if held > first}
        <div
          class="absolute top-[7px] h-[13px] border-y-2"
          style="{place(first, held - 1)};border-color:{lit}"
          title="The first key, at f {held}, holds backward"
          data-testid="held-backward"
        ></div>
      {/if}
    {/if}
    <!-- How its track is known: weak hatched, lost notched, outside or not followed only an edge. -->
    {#if known && !cover.off}
      {#each stretches(known.states, known.first, first, last) as [c, from, to] (from)}
        {#if scale.shows(from, to)}<div
            class="absolute top-[7px] h-[13px]"
            style="{place(from, to, 2)};background:{states[c]!.fill};{states[c]!.more}"
            title="{states[c]!.name}, f {from}–{to}"
            data-testid="state-{c}"
          ></div>{/if}
      {/each}
      <!-- The surer a frame, the fuller its row. -->
      <svg
        class="pointer-events-none absolute top-[7px]"
        style="left:{scale.left(first)}px;width:{(last - first + 1) * scale.step}px;height:13px"
        viewBox="0 0 {last - first + 1} 1"
        preserveAspectRatio="none"
        data-testid="sure"
      >
        <path d={doubt(known, first, last)} fill="var(--color-base-100)" fill-opacity=".8" />
      </svg>
      {#each known.anchors as f (f)}
        {#if scale.shows(f)}<button
            class="absolute top-[2px] size-[10px] -translate-x-1/2 rotate-45 border border-(--edge) bg-(--pin-picked)"
            style="left:{scale.x(f)}px"
            aria-label="Anchor at frame {f}"
            data-testid="anchor"
            onpointerdown={(e) => (e.stopPropagation(), bench.selection.select(item.id), bench.playhead.seek(f))}
          ></button>{/if}
      {/each}
    {/if}
    <!-- How far corrections reach: a line that bows down where the cover was moved on its track. -->
    {#each row.corrected as s (s.first)}
      <div
        class="pointer-events-none absolute top-[19px] h-[4px] rounded-b border-x border-b-2 border-(--pin-in-hand)"
        style={place(s.first, s.last, 4)}
        data-testid="correction"
        title="Corrected, f {s.first}–{s.last}"
      ></div>
    {/each}
    <!-- A line under what was looked at since the last change. -->
    {#each runs(bench.looked.frames[cover.id] ?? []) as [from, to] (from)}
      {#if scale.shows(from, to)}<div
          class="absolute top-[24px] h-[3px] bg-(--looked)"
          style={place(from, to, 3)}
          data-testid="looked-at"
        ></div>{/if}
    {/each}
    <!-- What the check found: severe ones notched from above, minor ones as an edge. -->
    {#each findings as { f, s } (f.id + s.first)}
      <button
        class="absolute top-0 h-[8px] cursor-pointer"
        style="{place(s.first, s.last, 5)};{f.severity === 'severe' ? notched : 'border-top:2px dashed var(--minor)'}"
        aria-label="{f.title}, f {s.first}–{s.last}"
        title={f.title}
        data-testid="row-finding"
        onpointerdown={(e) => (e.stopPropagation(), bench.checking.go(f))}
      ></button>
    {/each}
    {#if isSelected && !cover.locked}
      {#each ['first', 'last'] as const as side (side)}
        <div
          class="absolute top-[2px] h-[23px] w-2 cursor-ew-resize border-y-2 border-(--in-hand) {side === 'first'
            ? 'border-l-2'
            : 'border-r-2'}"
          style="left:{side === 'first' ? scale.left(first) - 3 : scale.left(last + 1) - 5}px"
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
    <Keys {bench} {cover} {row} item={item.id} {scale} {frameAt} />
  {/if}
</div>
