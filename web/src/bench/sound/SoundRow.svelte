<script lang="ts">
  // The sound under the ruler: its peaks, and the passages in which something is hidden. A
  // click goes there; a drag marks a passage.
  import type { Bench } from '../bench.svelte';
  import { zoomOf } from '../../shared/zoom';
  import type { Scale } from '../timeline/scale.svelte';

  let { bench, scale }: { bench: Bench; scale: Scale } = $props();
  const sounding = $derived(bench.sounding);
  const height = 34;
  let canvas = $state<HTMLCanvasElement>();
  let row = $state<HTMLDivElement>();
  /** What is being dragged: a new passage, or an end of one, in frames. */
  let drag = $state<{ from: number; to: number; end?: 'from' | 'to'; x: number; moved: boolean }>();

  $effect(() => {
    const g = canvas?.getContext('2d');
    if (!g || !canvas) return;
    void sounding.peaks;
    const ratio = window.devicePixelRatio;
    const w = Math.round(scale.width);
    canvas.width = w * ratio;
    canvas.height = height * ratio;
    g.scale(ratio, ratio);
    g.fillStyle = getComputedStyle(canvas).color;
    for (let x = 0; x < w; x++) {
      const f = scale.first + x / scale.step;
      // The root lets quiet speech be seen beside loud sound.
      const h = Math.max(Math.sqrt(sounding.peak(f, f + 1 / scale.step)) * (height - 4), 1);
      g.fillRect(x, (height - h) / 2, 1, h);
    }
  });

  const xOf = (e: PointerEvent) => (e.clientX - row!.getBoundingClientRect().left) / zoomOf(row!);
  const place = (x: number) => Math.min(Math.max(scale.first + x / scale.step, 0), scale.frames);
  const lies = (from: number, to: number) => {
    const left = Math.max(scale.left(from), -20);
    return { left, width: Math.max(Math.min(scale.left(to), scale.width + 20) - left, 2) };
  };
  const far = 4; // px, from a click to a drag

  function down(e: PointerEvent, end?: 'from' | 'to') {
    if (e.button !== 0) return;
    e.stopPropagation();
    row!.setPointerCapture(e.pointerId);
    const p = sounding.passage;
    const at = place(xOf(e));
    drag =
      end && p
        ? { from: p.from, to: p.to, end, x: xOf(e), moved: false }
        : { from: at, to: at, x: xOf(e), moved: false };
  }
  function move(e: PointerEvent) {
    if (!drag) return;
    const moved = drag.moved || Math.abs(xOf(e) - drag.x) > far;
    const at = Math.round(place(xOf(e)) * 100) / 100;
    drag = { ...drag, moved, ...(drag.end === 'from' ? { from: at } : { to: at }) };
  }
  function up(e: PointerEvent) {
    const d = drag;
    drag = undefined;
    if (!d) return;
    if (!d.moved) {
      if (d.end) return;
      bench.playhead.pause();
      return bench.playhead.seek(scale.frameAt(xOf(e)));
    }
    const [from, to] = [Math.min(d.from, d.to), Math.max(d.from, d.to)];
    if (d.end) sounding.change({ from, to });
    else sounding.add(from, to);
  }
  const words = { mute: 'muted', tone: 'tone', voice: 'disguised voice', keep: 'as it is' };
</script>

<div
  bind:this={row}
  class="relative touch-none overflow-hidden select-none"
  style="height:{height}px"
  role="group"
  aria-label="Sound: drag to mark a passage"
  data-testid="sound"
  onpointerdown={(e) => down(e)}
  onpointermove={move}
  onpointerup={up}
  onpointercancel={() => (drag = undefined)}
>
  <canvas bind:this={canvas} class="absolute inset-0 h-full w-full text-(--slat-off)"></canvas>
  {#each sounding.passages as p (p.id)}
    {@const held = p.id === sounding.picked}
    {@const at = lies(
      held && drag?.end ? Math.min(drag.from, drag.to) : p.from,
      held && drag?.end ? Math.max(drag.from, drag.to) : p.to,
    )}
    <div
      class="absolute inset-y-[2px] border-x-2 {held
        ? 'border-(--slat-in-hand) bg-(--slat-in-hand)/35'
        : 'border-(--slat) bg-(--slat)/30'} {p.off ? 'opacity-40' : ''}"
      style="left:{at.left}px;width:{at.width}px"
      data-testid="passage"
    >
      <button
        class="block h-full w-full truncate px-1 text-left text-[11px] leading-[13px]"
        aria-pressed={held}
        aria-label="Passage {p.name}: {words[p.how]}{p.off ? ', switched off' : ''}"
        title="{p.name}: {words[p.how]}{p.off ? ', switched off' : ''}"
        onpointerdown={(e) => e.stopPropagation()}
        onclick={() => sounding.pick(p.id)}>{p.name}</button
      >
      {#if held}
        {#each ['from', 'to'] as const as end (end)}
          <div
            class="absolute inset-y-0 w-[8px] cursor-ew-resize {end === 'from' ? '-left-[5px]' : '-right-[5px]'}"
            role="presentation"
            data-testid="passage-{end}"
            onpointerdown={(e) => down(e, end)}
          ></div>
        {/each}
      {/if}
    </div>
  {/each}
  {#if drag?.moved && !drag.end}
    {@const at = lies(Math.min(drag.from, drag.to), Math.max(drag.from, drag.to))}
    <div
      class="pointer-events-none absolute inset-y-[2px] border-x-2 border-(--slat-in-hand) bg-(--slat-in-hand)/35"
      style="left:{at.left}px;width:{at.width}px"
    ></div>
  {/if}
  <div
    class="pointer-events-none absolute inset-y-0 left-0 w-px bg-(--playhead) will-change-transform"
    style="transform:translateX({scale.x(bench.playhead.frame)}px)"
  ></div>
</div>
