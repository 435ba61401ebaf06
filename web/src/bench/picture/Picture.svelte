<script lang="ts">
  import { Drawing } from '../drawing.svelte';
  import type { Bench } from '../bench.svelte';
  import { core } from '../../core/core';
  import { carried, carry } from '../map';
  import { toHex } from '../../shared/colour';
  import type { Patch, Point } from '../../api/api';
  import Overlay from './Overlay.svelte';

  let { bench }: { bench: Bench } = $props();
  let canvas = $state<HTMLCanvasElement>();
  let beside = $state<HTMLCanvasElement>(); // the clean picture, side by side
  let pane = $state<HTMLDivElement>();
  let plate = $state<HTMLDivElement>(); // where the picture lies
  let whole = $state({ w: 1, h: 1 });
  let wipe = $state(0.5); // share of the pane
  let shown = $state(''); // what the canvas holds: frame, revision and look, for tests
  let waiting = $state(false);

  const src = $derived(bench.shot.view!.sourceInfo);
  const aspect = $derived(src.info.pixel.num / src.info.pixel.den);
  // What lies under the cover must be seen to be put right.
  const mode = $derived(bench.following.correction?.frame === bench.playhead.frame ? 'clean' : bench.viewport.shown);
  const pair = $derived(mode === 'pair' && !!bench.concealing.other);
  const side = $derived(mode === 'side' || pair);
  // The two lie the way in which they come out larger.
  const halves = $derived(
    [
      { w: (whole.w - 1) / 2, h: whole.h },
      { w: whole.w, h: (whole.h - 1) / 2 },
    ].map((r) => ({ ...r, fits: Math.min(r.w / (bench.shot.width * aspect), r.h / bench.shot.height) })),
  );
  const below = $derived(side && halves[1]!.fits > halves[0]!.fits);
  const room = $derived(side ? halves[below ? 1 : 0]! : whole);
  /** What is left free around a picture that fits, px: outlines may be drawn beyond it. */
  const margin = 14;
  /** Screen pixels for a source pixel, down; across it is times the pixel aspect. */
  const scale = $derived(
    bench.viewport.zoom ||
      Math.max(
        Math.min((room.w - 2 * margin) / (bench.shot.width * aspect), (room.h - 2 * margin) / bench.shot.height),
        0.01,
      ),
  );
  const w = $derived(bench.shot.width * aspect * scale);
  const h = $derived(bench.shot.height * scale);
  // View frames may be smaller than the source; looking closer asks for the whole.
  // On a track the steady view takes the surface's turn and size away too.
  const lock = $derived.by(() => {
    const h =
      bench.viewport.steady && bench.selection.state?.inside && bench.selection.cover?.track
        ? bench.selection.state
        : undefined;
    if (!h) return { turn: 0, size: 1 };
    const o = carry(h.carry, h.home);
    const p = carry(h.carry, { x: h.home.x + 1, y: h.home.y });
    return { turn: Math.atan2(p.y - o.y, p.x - o.x), size: carried(h) };
  });
  const full = $derived(
    bench.playhead.speed === 0 &&
      (scale / lock.size) * devicePixelRatio > (src.viewHeight / bench.shot.height) * 1.2 &&
      src.viewHeight < bench.shot.height &&
      src.state === 'ready',
  );
  const woven = $derived(bench.woven);
  const onCover = $derived(bench.viewport.steady && bench.selection.state?.inside);
  const centre = $derived(
    onCover
      ? bench.selection.state!.centre
      : (bench.viewport.centre ?? { x: bench.shot.width / 2, y: bench.shot.height / 2 }),
  );
  // Some room is left around the picture, for outlines that reach beyond it.
  const edge = (at: number, size: number, room: number) =>
    onCover
      ? room / 2 - at
      : size <= room - 2 * margin + 1
        ? (room - size) / 2
        : Math.min(Math.max(room / 2 - at, room - size - 60), 60);
  const left = $derived(edge(centre.x * aspect * scale, w, room.w));
  const top = $derived(edge(centre.y * scale, h, room.h));

  $effect(() => {
    const o = new ResizeObserver(([e]) => (whole = { w: e!.contentRect.width, h: e!.contentRect.height }));
    o.observe(pane!);
    return () => o.disconnect();
  });
  $effect(() => {
    bench.viewport.room = room;
    bench.viewport.full = full || woven;
  });

  // Draws the frame; when its pictures are not here yet, the last one stays.
  $effect(() => {
    void bench.session.drawn;
    const f = bench.playhead.frame;
    const rev = bench.session.shown;
    const both = woven;
    const big = full || both;
    const look = mode;
    const matte = look === 'matte';
    const line = look === 'wipe' ? (wipe * whole.w - left) / w : 0;
    const draft =
      bench.session.preview?.frame === f &&
      bench.session.preview.matte === matte &&
      bench.session.preview.woven === both
        ? bench.session.preview.patch
        : undefined;
    const as = { full: big, matte, quick: bench.playhead.speed === 0 && !matte, woven: both };
    const other = pair ? bench.concealing.variant(f, big) : undefined;
    if (pair) bench.concealing.ahead(f, big);
    let gone = false;
    const paint = () => {
      const view = bench.playhead.frames.view(f, big, both).value;
      const patch = draft ?? bench.playhead.frames.patch(rev, f, as).value;
      if (gone || !view || (!patch && look !== 'clean') || (other && !other.value) || !canvas) return false;
      const c = fit(canvas, view);
      if (matte) c.fillRect(0, 0, view.width, view.height);
      else c.drawImage(view, 0, 0);
      if (look !== 'clean') lay(c, view, patch, line);
      if (beside) {
        const d = fit(beside, view);
        d.drawImage(view, 0, 0);
        lay(d, view, other?.value, 0);
      }
      shown = `${f}:${draft ? 'draft' : rev}:${look}`;
      waiting = false;
      return true;
    };
    if (!paint()) {
      const late = setTimeout(() => (waiting = true), 250);
      void Promise.all([
        bench.playhead.frames.view(f, big, both).wait,
        bench.playhead.frames.patch(rev, f, as).wait,
        other?.wait,
      ]).then(() => {
        clearTimeout(late);
        if (!gone && !paint()) waiting = true;
      });
      return () => {
        gone = true;
        clearTimeout(late);
      };
    }
    return () => (gone = true);
  });

  /** Lays a patch on the view, right of a line. */
  function lay(c: CanvasRenderingContext2D, view: ImageBitmap, patch: Patch | undefined, line: number) {
    if (!patch?.picture) return;
    c.save();
    c.beginPath();
    c.rect(Math.max(line, 0) * view.width, 0, view.width, view.height);
    c.clip();
    let y = 0;
    for (const [px, py, pw, ph] of patch.regions) {
      c.drawImage(patch.picture, 0, y, pw, ph, px, py, pw, ph);
      y += ph;
    }
    c.restore();
  }

  function fit(c: HTMLCanvasElement, view: ImageBitmap): CanvasRenderingContext2D {
    if (c.width !== view.width || c.height !== view.height) {
      c.width = view.width;
      c.height = view.height;
    }
    return c.getContext('2d', { alpha: false })!;
  }

  /** A pointer's place in source pixels. */
  function place(e: { clientX: number; clientY: number }): Point {
    const r = plate!.getBoundingClientRect();
    // From the middle of the view, which the steady view turns and sizes about.
    const [x, y] = [e.clientX - r.left - room.w / 2, e.clientY - r.top - room.h / 2];
    const [c, n] = [Math.cos(lock.turn) * lock.size, Math.sin(lock.turn) * lock.size];
    return {
      x: ((c * x - n * y + room.w / 2 - left) / w) * bench.shot.width,
      y: ((n * x + c * y + room.h / 2 - top) / h) * bench.shot.height,
    };
  }

  let drag: ((e: PointerEvent) => void) | undefined;
  let done: (() => void) | undefined;
  let marquee = $state<{ from: Point; to: Point }>();

  /** Follows the pointer until it is let go. */
  function follow(e: PointerEvent, move: (p: Point, e: PointerEvent) => void, end: (moved: boolean) => void) {
    e.stopPropagation();
    (e.currentTarget as Element).setPointerCapture(e.pointerId);
    let moved = false;
    const start = { x: e.clientX, y: e.clientY };
    drag = (m) => {
      if (!moved && Math.hypot(m.clientX - start.x, m.clientY - start.y) < 2) return;
      moved = true;
      move(place(m), m);
    };
    done = () => {
      drag = done = undefined;
      end(moved);
    };
  }

  const pans = (e: PointerEvent) => bench.viewport.panning || e.button === 1 || (e.button === 0 && e.shiftKey);

  function down(e: PointerEvent) {
    if (pans(e)) {
      const from = { ...centre };
      const start = { x: e.clientX, y: e.clientY };
      bench.viewport.steady = false;
      follow(
        e,
        (_, m) =>
          (bench.viewport.centre = {
            x: from.x - (m.clientX - start.x) / scale / aspect,
            y: from.y - (m.clientY - start.y) / scale,
          }),
        () => {},
      );
      return;
    }
    if (e.button !== 0) return;
    const p = place(e);
    if (bench.toolbox.tool === 'pick') return pick(p);
    if (bench.toolbox.tool === 'brush') {
      bench.holdouts.stroke = [p];
      follow(
        e,
        (q) => (bench.holdouts.stroke = [...bench.holdouts.stroke, q]),
        () => bench.holdouts.paint(bench.holdouts.stroke),
      );
      return;
    }
    if (bench.toolbox.tool !== 'move') return draw(e, p);
    // On nothing: picks the knots inside a rectangle, or none.
    marquee = { from: p, to: p };
    follow(
      e,
      (q) => (marquee = { from: p, to: q }),
      (moved) => {
        const m = marquee!;
        marquee = undefined;
        bench.selection.clear();
        if (!moved || bench.selection.cover?.locked) return;
        const inside = (q: Point) => (q.x - m.from.x) * (q.x - m.to.x) <= 0 && (q.y - m.from.y) * (q.y - m.to.y) <= 0;
        for (const o of bench.selection.state?.outlines ?? []) {
          if (o.shape !== 'path' && o.shape !== 'corners') continue;
          const knots = o.knots.flatMap((k, i) => (inside(k.p) ? [i] : []));
          if (knots.length > bench.selection.knots.indexes.length)
            bench.selection.knots = { outline: o.id, indexes: knots };
        }
      },
    );
  }

  function draw(e: PointerEvent, p: Point) {
    if (
      bench.toolbox.tool === 'move' ||
      bench.toolbox.tool === 'pick' ||
      bench.toolbox.tool === 'brush' ||
      !bench.selection.itemId
    )
      return;
    if (bench.selection.cover?.locked) {
      bench.notice.text = `${bench.selection.cover.name} is locked; unlock it first.`;
      return;
    }
    if (bench.toolbox.tool === 'points') {
      const a = bench.following.apart;
      const same = a?.points && a.frame === bench.playhead.frame ? a.surface : [];
      bench.following.apart = { frame: bench.playhead.frame, surface: [...same, p], points: true };
      return;
    }
    const d = (bench.toolbox.drawing ??= new Drawing(
      bench.toolbox.tool === 'surface' ? 'corners' : bench.toolbox.tool,
    ));
    const close = (q: Point, r: number) => Math.hypot((q.x - p.x) * aspect, q.y - p.y) * scale < r;
    if (d.shape === 'box' || d.shape === 'ellipse') {
      d.drag(p, p);
      follow(
        e,
        (q) => d.drag(p, q),
        () => bench.toolbox.finish(),
      );
      return;
    }
    if (d.shape === 'corners') {
      d.add(p);
      follow(
        e,
        (q) => (d.knots.length === 1 || d.knots.length === 4 ? d.drag(p, q) : undefined),
        (moved) => {
          if (d.knots.length === 4 && (moved || d.whole)) bench.toolbox.finish();
        },
      );
      return;
    }
    if (d.knots.length >= 3 && (close(d.knots[0]!.p, 9) || close(d.knots.at(-1)!.p, 4))) {
      e.stopPropagation();
      return bench.toolbox.finish();
    }
    d.add(p);
    follow(
      e,
      (q) => d.pull(q),
      () => {},
    );
  }

  function pick(p: Point) {
    const c = canvas!;
    const was = bench.playhead.frames.view(bench.playhead.frame, full || woven, woven).value!;
    const spot = new OffscreenCanvas(1, 1).getContext('2d')!;
    spot.drawImage(
      was,
      -Math.floor((p.x / bench.shot.width) * c.width),
      -Math.floor((p.y / bench.shot.height) * c.height),
    );
    const [r, g, bl] = spot.getImageData(0, 0, 1, 1).data;
    bench.toolbox.tool = 'move';
    const ts = bench.selection.cover?.treatments ?? [];
    bench.concealing.treat(
      ts.map((t) => (t.kind === 'fill' ? { ...t, colour: toHex(r!, g!, bl!), around: undefined } : t)),
    );
  }

  const steps = [0.25, 0.5, 1, 2, 4, 8];
  function wheel(e: WheelEvent) {
    e.preventDefault();
    if (!e.ctrlKey) {
      bench.viewport.steady = false;
      bench.viewport.centre = { x: centre.x + e.deltaX / scale / aspect, y: centre.y + e.deltaY / scale };
      return;
    }
    const fits = Math.min(room.w / (bench.shot.width * aspect), room.h / bench.shot.height);
    const now = bench.viewport.zoom || fits;
    const next = e.deltaY < 0 ? steps.find((z) => z > now * 1.01) : steps.findLast((z) => z < now * 0.99);
    if (!next || next <= fits) {
      bench.viewport.zoom = 0;
      bench.viewport.centre = undefined;
      return;
    }
    // The point under the pointer stays there.
    const p = place(e);
    const at = plate!.getBoundingClientRect();
    bench.viewport.zoom = next;
    bench.viewport.centre = {
      x: p.x - (e.clientX - at.left - room.w / 2) / next / aspect,
      y: p.y - (e.clientY - at.top - room.h / 2) / next,
    };
  }

  function wipeDown(e: PointerEvent) {
    follow(
      e,
      (_, m) => (wipe = Math.min(Math.max((m.clientX - pane!.getBoundingClientRect().left) / whole.w, 0), 1)),
      () => {},
    );
  }

  const name = $derived(bench.shot.items.find((i) => i.id === bench.selection.itemId)?.name);
  const hint = $derived.by(() => {
    if (bench.toolbox.tool === 'move') return '';
    if (bench.toolbox.tool === 'pick') return 'Click where the colour is';
    if (!bench.selection.itemId) return 'Add an item first';
    if (bench.toolbox.tool === 'surface') return `Surface that ${name} lies on: click its four corners, or drag a box`;
    if (bench.toolbox.tool === 'points') return `Points that move with ${name}: click one, two or more`;
    if (bench.toolbox.tool === 'brush')
      return bench.holdouts.adds ? 'Paint what is in front too' : 'Paint what is not in front';
    const fits = bench.selection.cover && !bench.outlining.adding && bench.toolbox.tool !== 'path';
    const what = {
      box: 'Drag a box',
      ellipse: 'Drag an ellipse',
      corners: 'Click the four corners',
      path: 'Click for corners, drag for curves, close on the first knot or with Enter',
    }[bench.toolbox.tool];
    if (bench.holdouts.drawing) return `What passes in front of ${name}: ${what.toLowerCase()}`;
    return fits
      ? `Fit ${name} at f ${bench.playhead.frame}: ${what.toLowerCase()}`
      : `${bench.selection.cover ? 'One more outline of' : 'Outline of'} ${name}: ${what.toLowerCase()}`;
  });
</script>

{#snippet choice(other: boolean)}
  {@const ts = (other ? bench.concealing.other : bench.concealing.cover?.treatments) ?? []}
  <button
    class="btn absolute bottom-2 left-2 btn-sm"
    onpointerdown={(e) => e.stopPropagation()}
    onclick={() => bench.concealing.choose(other)}
    >Keep {ts
      .filter((t) => !t.off)
      .map((t) => core.kinds().find((k) => k.kind === t.kind)?.title)
      .join(' + ')}</button
  >
{/snippet}

<div
  bind:this={pane}
  class="counted relative flex min-h-0 min-w-0 gap-px overflow-hidden bg-[#161616] {below ? 'flex-col' : ''}"
  data-theme="celator"
  role="application"
  aria-label="Picture"
  data-testid="picture"
  data-shown={shown}
  onwheel={wheel}
  onpointerdown={down}
  onpointermove={(e) => {
    if (drag) drag(e);
    else if (bench.toolbox.drawing?.open) bench.toolbox.drawing.at = place(e);
  }}
  onpointerup={() => done?.()}
  onpointercancel={() => done?.()}
  style:cursor={bench.viewport.panning ? 'grab' : bench.toolbox.tool === 'move' ? 'default' : 'crosshair'}
>
  {#if side}
    <div class="relative min-h-0 flex-1 overflow-hidden outline outline-[#4a4a4a]" data-testid="beside">
      <canvas
        bind:this={beside}
        class="absolute max-w-none"
        style="left:{left}px;top:{top}px;width:{w}px;height:{h}px;image-rendering:{scale >= 2 ? 'pixelated' : 'auto'}"
      ></canvas>
      {#if pair}{@render choice(true)}{:else}<span class="absolute bottom-2 left-2 bg-base-100/90 px-2 py-0.5"
          >Clean</span
        >{/if}
    </div>
  {/if}
  <div bind:this={plate} class="relative min-h-0 flex-1 overflow-hidden">
    <div
      class="absolute inset-0"
      style:transform={lock.turn || lock.size !== 1 ? `rotate(${-lock.turn}rad) scale(${1 / lock.size})` : undefined}
    >
      <canvas
        bind:this={canvas}
        data-main
        class="absolute max-w-none"
        style="left:{left}px;top:{top}px;width:{w}px;height:{h}px;image-rendering:{scale >= 2 ? 'pixelated' : 'auto'}"
      ></canvas>
      {#if bench.viewport.overlays && !bench.viewport.hidesOverlays}
        <svg
          class="absolute overflow-visible"
          style="left:{left}px;top:{top}px;width:{w}px;height:{h}px"
          viewBox="0 0 {bench.shot.width} {bench.shot.height}"
          preserveAspectRatio="none"
        >
          <Overlay {bench} px={lock.size / scale} pointer={{ place, follow, pans }} />
          {#if marquee}
            <rect
              x={Math.min(marquee.from.x, marquee.to.x)}
              y={Math.min(marquee.from.y, marquee.to.y)}
              width={Math.abs(marquee.to.x - marquee.from.x)}
              height={Math.abs(marquee.to.y - marquee.from.y)}
              fill="#f0cd7c"
              fill-opacity=".08"
              stroke="#f0cd7c"
              stroke-dasharray="3 3"
              vector-effect="non-scaling-stroke"
            />
          {/if}
        </svg>
      {/if}
    </div>
    {#if pair}{@render choice(false)}{:else if side}<span
        class="pointer-events-none absolute bottom-2 left-2 bg-base-100/90 px-2 py-0.5">Concealed</span
      >{/if}
  </div>
  {#if mode === 'wipe'}
    <div
      class="absolute inset-y-0 w-4 -translate-x-1/2 cursor-ew-resize"
      style="left:{wipe * 100}%"
      role="presentation"
      data-testid="wipe"
      onpointerdown={wipeDown}
    >
      <div class="mx-auto h-full w-px bg-[#f2f2f2]"></div>
      <span class="absolute right-5 bottom-2 bg-base-100/90 px-2 py-0.5">Clean</span>
      <span class="absolute bottom-2 left-5 bg-base-100/90 px-2 py-0.5">Concealed</span>
    </div>
  {/if}
  {#if waiting}
    <p class="absolute bottom-2 left-2 bg-base-100/90 px-2 py-1" role="status">
      {src.state === 'ready'
        ? 'Decoding the frame'
        : src.state === 'failed'
          ? src.error
          : `View frames are being made: ${src.views} of ${src.frames}`}
    </p>
  {/if}
  {#if mode === 'clean' || mode === 'matte'}
    <p class="pointer-events-none absolute top-2 right-2 bg-base-100/90 px-2 py-1" role="status">
      {mode === 'clean' ? 'Clean picture' : 'Matte'}
    </p>
  {/if}
  {#if hint && !bench.viewport.clean}<p
      class="pointer-events-none absolute top-2 left-2 bg-base-100/90 px-2 py-1"
      role="status"
    >
      {hint}
    </p>{/if}
</div>
