<script lang="ts">
  // A cover's keys on its row: a ring for the place, a diamond for the shape, a bar for
  // numbers. Dragged, they go to other frames; where many lie on one another they are drawn
  // as one, and a click draws them larger. Those of rows that are not in hand are one drawing:
  // a shot may have thousands.
  import type { Bench } from '../bench.svelte';
  import type { Cover, TimelineRow } from '../../api/api';
  import type { Scale } from './scale.svelte';

  interface Props {
    bench: Bench;
    cover: Cover;
    row: TimelineRow;
    item: string;
    scale: Scale;
    frameAt: (e: PointerEvent) => number;
  }
  let { bench, cover, row, item, scale, frameAt }: Props = $props();
  const keying = $derived(bench.keying);
  const isSelected = $derived(bench.selection.itemId === item);

  /** Keys nearer to one another than this are drawn as one, px. */
  const apart = 5;
  const groups = $derived.by(() => {
    const out: number[][] = [];
    for (const f of row.keys) {
      if (!scale.shows(f)) continue;
      const g = out.at(-1);
      if (g && (f - g.at(-1)!) * scale.step < apart) g.push(f);
      else out.push([f]);
    }
    return out;
  });

  const kinds = (f: number) => {
    const on = row.lanes.filter((l) => l.frames.includes(f)).map((l) => l.name);
    return {
      place: on.includes('placement'),
      shape: on.some((n) => n.startsWith('outline/')),
      number: on.some((n) => n !== 'placement' && !n.startsWith('outline/')),
    };
  };
  const words = (k: { place: boolean; shape: boolean; number: boolean }) =>
    [k.place && 'place', k.shape && 'shape', k.number && 'numbers'].filter(Boolean).join(' and ');

  /** A key, or all that are picked, is moved along the row, no further than the span. */
  let pin = $state<{ from: number; by: number }>();
  function pinDown(e: PointerEvent, f: number) {
    e.stopPropagation();
    bench.selection.select(item);
    if (e.shiftKey || e.ctrlKey) {
      keying.picked = keying.picked.includes(f) ? keying.picked.filter((p) => p !== f) : [...keying.picked, f];
      return;
    }
    if (!keying.picked.includes(f)) keying.picked = [];
    bench.playhead.seek(f);
    if (bench.selection.cover?.locked) return;
    (e.currentTarget as Element).setPointerCapture(e.pointerId);
    pin = { from: f, by: 0 };
  }
  function pinMove(e: PointerEvent) {
    if (!pin || !bench.selection.cover) return;
    const all = keying.picked.length ? keying.picked : [pin.from];
    const { first, last } = bench.selection.cover.span;
    const by = Math.min(Math.max(frameAt(e) - pin.from, first - Math.min(...all)), last - Math.max(...all));
    pin = { from: pin.from, by };
  }
  function pinUp() {
    const p = pin;
    pin = undefined;
    onDrawing = false;
    if (!p || p.by === 0) return;
    keying.move(keying.picked.length ? keying.picked : [p.from], p.by);
    bench.playhead.seek(p.from + p.by);
  }
  /** The drawing, and what is pressed in it. It stays until the key is let go. */
  let onDrawing = $state(false);
  const box = (x: number, y: number, w: number, h: number) => `M${x} ${y}h${w}v${h}h${-w}z`;
  const drawing = $derived.by(() => {
    if (isSelected && !onDrawing) return '';
    let d = '';
    for (const g of groups) {
      const f = g[0]!;
      if (g.length > 1) {
        d += box(scale.left(f), 2.5, Math.max((g.at(-1)! - f + 1) * scale.step, 7), 4);
        continue;
      }
      const k = kinds(f);
      const x = scale.x(moving(f));
      let y = 0;
      if (k.place) d += `M${x - 3} 3.5a3 3 0 1 1 6 0a3 3 0 1 1 -6 0z`;
      if (k.place) y += 7;
      if (k.shape) d += `M${x} ${y}l3.5 3.5l-3.5 3.5l-3.5 -3.5z`;
      if (k.shape) y += 7;
      d += box(x - 0.5, y, 1, (k.number ? 23.5 : 28) - y);
      if (k.number) d += box(x - 3, 23.5, 6, 4);
    }
    return d;
  });
  /** Presses the key that is nearest. */
  function drawingDown(e: PointerEvent) {
    const at = frameAt(e);
    const far = (g: number[]) => Math.max(g[0]! - at, at - g.at(-1)!, 0);
    const g = groups.reduce((a, b) => (far(b) < far(a) ? b : a));
    if (g.length > 1) return closer(e, g);
    onDrawing = true;
    pinDown(e, g[0]!);
    onDrawing = !!pin;
  }
  const moving = (f: number) => (isSelected && pin && (f === pin.from || keying.picked.includes(f)) ? f + pin.by : f);

  function closer(e: PointerEvent, g: number[]) {
    e.stopPropagation();
    bench.selection.select(item);
    bench.playhead.seek(g[0]!);
    scale.zoom((2 * apart) / scale.step, scale.x(g[0]!));
  }
</script>

{#if drawing}
  <svg class="pointer-events-none absolute inset-0 h-full w-full overflow-visible" data-testid="keys-drawn">
    <path
      class="pointer-events-auto cursor-pointer"
      d={drawing}
      fill={isSelected ? 'var(--pin-in-hand)' : 'var(--pin)'}
      stroke="var(--edge)"
      paint-order="stroke"
      role="presentation"
      onpointerdown={drawingDown}
      onpointermove={pinMove}
      onpointerup={pinUp}
    />
  </svg>
{/if}
{#each drawing ? [] : groups as g (g[0])}
  {@const f = g[0]!}
  {#if g.length > 1}
    <button
      class="absolute top-[2px] h-[5px] cursor-zoom-in border-y border-(--edge)"
      style="left:{scale.left(f)}px;width:{Math.max((g.at(-1)! - f + 1) * scale.step, 7)}px;background:{isSelected
        ? 'var(--pin-in-hand)'
        : 'var(--pin)'}"
      aria-label="{g.length} keys, frames {f} to {g.at(-1)}"
      title="{g.length} keys, f {f}–{g.at(-1)}"
      data-testid="keys"
      onpointerdown={(e) => closer(e, g)}
    ></button>
  {:else}
    {@const k = kinds(f)}
    {@const inside = f >= cover.span.first && f <= cover.span.last}
    {@const picked = isSelected && keying.picked.includes(f)}
    {@const colour = picked ? 'var(--pin-picked)' : isSelected ? 'var(--pin-in-hand)' : 'var(--pin)'}
    <button
      class="absolute top-0 flex h-[28px] w-[11px] -translate-x-1/2 cursor-pointer flex-col items-center"
      style="left:{scale.x(moving(f))}px;opacity:{inside ? 1 : 0.45}"
      aria-label="Key at frame {f}: {words(k)}{inside ? '' : ', outside the span'}"
      aria-pressed={picked}
      data-testid="key"
      onpointerdown={(e) => pinDown(e, f)}
      onpointermove={pinMove}
      onpointerup={pinUp}
    >
      {#if k.place}<span
          class="h-[7px] w-[7px] shrink-0 rounded-full border border-(--edge)"
          style="background:{colour}"
        ></span>{/if}
      {#if k.shape}<span class="h-[6px] w-[6px] shrink-0 rotate-45 border border-(--edge)" style="background:{colour}"
        ></span>{/if}
      <span class="w-px flex-1" style="background:{colour}"></span>
      {#if k.number}<span class="h-[4px] w-[7px] shrink-0 border border-(--edge)" style="background:{colour}"
        ></span>{/if}
    </button>
  {/if}
{/each}
