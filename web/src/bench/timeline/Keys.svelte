<script lang="ts">
  // A cover's keys on its row: a ring for the place, a diamond for the shape, a bar for
  // numbers. Dragged, they go to other frames; where many lie on one another they are drawn
  // as one, and a click draws them larger.
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
    if (!p || p.by === 0) return;
    keying.move(keying.picked.length ? keying.picked : [p.from], p.by);
    bench.playhead.seek(p.from + p.by);
  }
  const moving = (f: number) => (isSelected && pin && (f === pin.from || keying.picked.includes(f)) ? f + pin.by : f);

  function closer(e: PointerEvent, g: number[]) {
    e.stopPropagation();
    bench.selection.select(item);
    bench.playhead.seek(g[0]!);
    scale.zoom((2 * apart) / scale.step, scale.x(g[0]!));
  }
</script>

{#each groups as g (g[0])}
  {@const f = g[0]!}
  {#if g.length > 1}
    <button
      class="absolute top-[2px] h-[5px] cursor-zoom-in border-y border-[#161616]"
      style="left:{scale.left(f)}px;width:{Math.max((g.at(-1)! - f + 1) * scale.step, 7)}px;background:{isSelected
        ? '#f7dc9a'
        : '#c9c9c9'}"
      aria-label="{g.length} keys, frames {f} to {g.at(-1)}"
      title="{g.length} keys, f {f}–{g.at(-1)}"
      data-testid="keys"
      onpointerdown={(e) => closer(e, g)}
    ></button>
  {:else}
    {@const k = kinds(f)}
    {@const inside = f >= cover.span.first && f <= cover.span.last}
    {@const picked = isSelected && keying.picked.includes(f)}
    {@const colour = picked ? '#ffffff' : isSelected ? '#f7dc9a' : '#c9c9c9'}
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
          class="h-[7px] w-[7px] shrink-0 rounded-full border border-[#161616]"
          style="background:{colour}"
        ></span>{/if}
      {#if k.shape}<span class="h-[6px] w-[6px] shrink-0 rotate-45 border border-[#161616]" style="background:{colour}"
        ></span>{/if}
      <span class="w-px flex-1" style="background:{colour}"></span>
      {#if k.number}<span class="h-[4px] w-[7px] shrink-0 border border-[#161616]" style="background:{colour}"
        ></span>{/if}
    </button>
  {/if}
{/each}
