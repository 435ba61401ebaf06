<script lang="ts">
  import { constant, type Bench } from '../lib/bench.svelte';
  import { toHex } from '../lib/colour';
  import type { Placement } from '../lib/api';

  let { b }: { b: Bench } = $props();
  let canvas = $state<HTMLCanvasElement>();
  let pane = $state<HTMLDivElement>();
  let room = $state({ w: 1, h: 1 });
  let pan = $state({ x: 0, y: 0 });
  let shown = $state(''); // what the canvas holds: frame and revision, for tests
  let waiting = $state(false);

  const src = $derived(b.shot!.sourceInfo);
  const aspect = $derived(src.info.pixel.num / src.info.pixel.den);
  /** Screen pixels for a source pixel, down; across it is times the pixel aspect. */
  const scale = $derived(b.zoom || Math.min(room.w / (b.width * aspect), room.h / b.height));
  const w = $derived(b.width * aspect * scale);
  const h = $derived(b.height * scale);
  // View frames may be smaller than the source; looking closer asks for the whole.
  const full = $derived(b.speed === 0 && scale * devicePixelRatio > (src.viewHeight / b.height) * 1.2 && src.viewHeight < b.height && src.state === 'ready');
  const left = $derived(w <= room.w ? (room.w - w) / 2 : Math.min(Math.max((room.w - w) / 2 + pan.x, room.w - w), 0));
  const top = $derived(h <= room.h ? (room.h - h) / 2 : Math.min(Math.max((room.h - h) / 2 + pan.y, room.h - h), 0));

  $effect(() => {
    const o = new ResizeObserver(([e]) => (room = { w: e!.contentRect.width, h: e!.contentRect.height }));
    o.observe(pane!);
    return () => o.disconnect();
  });

  // Draws the frame; when its pictures are not here yet, the last one stays.
  $effect(() => {
    void b.drawn;
    const f = b.frame;
    const rev = b.revision!.number;
    const big = full;
    const clean = b.clean;
    const draft = b.draft?.frame === f && !big ? b.draft.patch : undefined;
    let gone = false;
    const paint = () => {
      const view = b.frames.view(f, big).value;
      const patch = draft ?? b.frames.patch(rev, f, big, b.speed === 0).value;
      if (gone || !view || (!patch && !clean) || !canvas) return false;
      if (canvas.width !== view.width || canvas.height !== view.height) {
        canvas.width = view.width;
        canvas.height = view.height;
      }
      const c = canvas.getContext('2d', { alpha: false })!;
      c.drawImage(view, 0, 0);
      if (!clean && patch?.picture) {
        let y = 0;
        for (const [px, py, pw, ph] of patch.regions) {
          c.drawImage(patch.picture, 0, y, pw, ph, px, py, pw, ph);
          y += ph;
        }
      }
      shown = `${f}:${draft ? 'draft' : rev}:${clean ? 'clean' : 'concealed'}`;
      waiting = false;
      return true;
    };
    if (!paint()) {
      const late = setTimeout(() => (waiting = true), 250);
      void Promise.all([b.frames.view(f, big).wait, b.frames.patch(rev, f, big, b.speed === 0).wait]).then(() => {
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

  /** A pointer's place in source pixels. */
  function place(e: PointerEvent): { x: number; y: number } {
    const r = canvas!.getBoundingClientRect();
    return { x: ((e.clientX - r.left) / r.width) * b.width, y: ((e.clientY - r.top) / r.height) * b.height };
  }

  let drawing = $state<{ x0: number; y0: number; x1: number; y1: number }>();
  let drag: ((e: PointerEvent) => void) | undefined;
  let done: ((e: PointerEvent) => void) | undefined;

  function begin(e: PointerEvent, move: (p: { x: number; y: number }, e: PointerEvent) => void, end: (moved: boolean) => void) {
    e.stopPropagation();
    (e.currentTarget as Element).setPointerCapture(e.pointerId);
    let moved = false;
    drag = (m) => {
      moved = true;
      move(place(m), m);
    };
    done = () => {
      drag = done = undefined;
      end(moved);
    };
  }

  function down(e: PointerEvent) {
    if (e.button === 1 || e.shiftKey) {
      const start = { x: e.clientX - pan.x, y: e.clientY - pan.y };
      begin(e, (_, m) => (pan = { x: m.clientX - start.x, y: m.clientY - start.y }), () => {});
      return;
    }
    if (e.button !== 0) return;
    const p = place(e);
    if (b.tool === 'pick') {
      pick(p);
    } else if (b.tool !== 'move' && b.item && !b.cover) {
      drawing = { x0: p.x, y0: p.y, x1: p.x, y1: p.y };
      begin(
        e,
        (q) => (drawing = { x0: p.x, y0: p.y, x1: q.x, y1: q.y }),
        () => {
          const d = drawing!;
          drawing = undefined;
          const [x0, x1] = [Math.min(d.x0, d.x1), Math.max(d.x0, d.x1)];
          const [y0, y1] = [Math.min(d.y0, d.y1), Math.max(d.y0, d.y1)];
          if (x1 - x0 < 2 || y1 - y0 < 2) {
            b.error = 'That outline is too small to hide anything; drag from one corner to the other.';
            return;
          }
          void b.addCover(b.tool === 'ellipse' ? 'ellipse' : 'box', x0, y0, x1, y1);
        },
      );
    }
  }

  function pick(p: { x: number; y: number }) {
    const c = canvas!;
    const was = b.frames.view(b.frame, full).value!;
    const spot = new OffscreenCanvas(1, 1).getContext('2d')!;
    spot.drawImage(was, -Math.floor((p.x / b.width) * c.width), -Math.floor((p.y / b.height) * c.height));
    const [r, g, bl] = spot.getImageData(0, 0, 1, 1).data;
    b.tool = 'move';
    const ts = b.cover?.treatments ?? [];
    b.treat(ts.map((t) => (t.kind === 'fill' ? { ...t, colour: toHex(r!, g!, bl!) } : t)));
  }

  function change(p: Placement, save: boolean) {
    const c = b.place(p);
    if (save) void b.save([c]);
    else b.show([c]);
  }

  /** Drags the cover in hand from a placement, by a function of the pointer. */
  function grab(e: PointerEvent, to: (q: { x: number; y: number }, m: PointerEvent) => Placement) {
    if (e.button !== 0 || e.shiftKey || b.tool !== 'move') return;
    b.play(0);
    let last: Placement | undefined;
    begin(
      e,
      (q, m) => change((last = to(q, m)), false),
      (moved) => moved && last && change(last, true),
    );
  }

  function moveCover(e: PointerEvent) {
    const from = place(e);
    const p = b.inHand!.placement;
    grab(e, (q) => ({ ...p, move: { x: p.move.x + q.x - from.x, y: p.move.y + q.y - from.y } }));
  }

  const turned = (x: number, y: number, deg: number) => {
    const a = (deg * Math.PI) / 180;
    return { x: x * Math.cos(a) - y * Math.sin(a), y: x * Math.sin(a) + y * Math.cos(a) };
  };

  /** Sizes by the handle on side (sx, sy): the opposite side stays, or with Alt the centre. */
  function sizeCover(e: PointerEvent, sx: number, sy: number) {
    const c = b.inHand!;
    const p = c.placement;
    const rest = { x: c.size.x / p.size.x, y: c.size.y / p.size.y };
    const fixed = turned((-sx * c.size.x) / 2, (-sy * c.size.y) / 2, p.turn);
    grab(e, (q, m) => {
      const local = m.altKey ? turned(q.x - c.centre.x, q.y - c.centre.y, -p.turn) : turned(q.x - c.centre.x - fixed.x, q.y - c.centre.y - fixed.y, -p.turn);
      const k = m.altKey ? 2 : 1;
      const nw = sx ? Math.max(sx * local.x * k, 2) : c.size.x;
      const nh = sy ? Math.max(sy * local.y * k, 2) : c.size.y;
      const shift = m.altKey ? { x: 0, y: 0 } : turned((sx * (nw - c.size.x)) / 2, (sy * (nh - c.size.y)) / 2, p.turn);
      return { ...p, move: { x: p.move.x + shift.x, y: p.move.y + shift.y }, size: { x: nw / rest.x, y: nh / rest.y } };
    });
  }

  function turnCover(e: PointerEvent) {
    const c = b.inHand!;
    const p = c.placement;
    const angle = (q: { x: number; y: number }) => (Math.atan2(q.y - c.centre.y, q.x - c.centre.x) * 180) / Math.PI;
    const from = angle(place(e));
    grab(e, (q, m) => {
      let d = angle(q) - from;
      d -= 360 * Math.round(d / 360);
      return { ...p, turn: m.ctrlKey ? Math.round((p.turn + d) / 15) * 15 : p.turn + d };
    });
  }

  const handles = [
    [-1, -1],
    [0, -1],
    [1, -1],
    [1, 0],
    [1, 1],
    [0, 1],
    [-1, 1],
    [-1, 0],
  ] as const;
  const px = $derived(1 / scale); // one screen pixel in picture pixels
  const rim = $derived(b.cover ? constant(b.cover.grow) + Math.max(constant(b.cover.soften.across), constant(b.cover.soften.down)) : 0);

  function wheel(e: WheelEvent) {
    e.preventDefault();
    if (e.ctrlKey) {
      const steps = [0, 0.5, 1, 2, 4];
      const i = steps.findIndex((z) => z === b.zoom);
      const next = steps[Math.min(Math.max((i < 0 ? 2 : i) + (e.deltaY < 0 ? 1 : -1), 0), steps.length - 1)]!;
      const at = { x: e.clientX - pane!.getBoundingClientRect().left, y: e.clientY - pane!.getBoundingClientRect().top };
      const p = { x: (at.x - left) / w, y: (at.y - top) / h };
      b.zoom = next;
      // The point under the pointer stays there.
      queueMicrotask(() => (pan = { x: at.x - p.x * w - (room.w - w) / 2, y: at.y - p.y * h - (room.h - h) / 2 }));
    } else {
      const p = { x: left - (room.w - w) / 2, y: top - (room.h - h) / 2 };
      pan = { x: p.x - e.deltaX, y: p.y - e.deltaY };
    }
  }
</script>

<div
  bind:this={pane}
  class="relative min-h-0 min-w-0 overflow-hidden bg-[#161616]"
  role="application"
  aria-label="Picture"
  data-testid="picture"
  data-shown={shown}
  onwheel={wheel}
  onpointerdown={down}
  onpointermove={(e) => drag?.(e)}
  onpointerup={(e) => done?.(e)}
  onpointercancel={(e) => done?.(e)}
  style:cursor={b.tool === 'move' ? 'default' : 'crosshair'}
>
  <canvas bind:this={canvas} class="absolute" style="left:{left}px;top:{top}px;width:{w}px;height:{h}px;image-rendering:{b.zoom >= 2 ? 'pixelated' : 'auto'}"></canvas>
  {#if !b.bare}
    <svg class="absolute overflow-visible" style="left:{left}px;top:{top}px;width:{w}px;height:{h}px" viewBox="0 0 {b.width} {b.height}" preserveAspectRatio="none">
      {#each b.at as c (c.id)}
        {@const cover = b.document!.covers.find((x) => x.id === c.id)!}
        {@const hand = cover.item === b.item}
        {#if c.inside}
          <path d={c.path} fill="none" stroke="#000" stroke-opacity=".55" stroke-width={hand ? 3.5 : 2.5} vector-effect="non-scaling-stroke" pointer-events="none" />
          <path d={c.path} fill="none" stroke={hand ? '#f0cd7c' : '#d6d6d6'} stroke-width={hand ? 1.5 : 1} stroke-dasharray={cover.off ? '2 5' : undefined} vector-effect="non-scaling-stroke" pointer-events="none" />
          {#if hand}
            <path d={c.path} fill="transparent" style:cursor={b.tool === 'move' ? 'move' : 'inherit'} onpointerdown={moveCover} role="presentation" data-testid="cover-in-hand" />
          {:else}
            <path d={c.path} fill="transparent" role="presentation" onpointerdown={(e) => b.tool === 'move' && !e.shiftKey && e.button === 0 && cover.item && (b.item = cover.item)} />
          {/if}
        {/if}
      {/each}
      {#if b.inHand?.inside && b.tool === 'move' && b.speed === 0}
        {@const c = b.inHand}
        <g transform="translate({c.centre.x} {c.centre.y}) rotate({c.placement.turn})">
          <line x1="0" y1={-c.size.y / 2} x2="0" y2={-c.size.y / 2 - 26 * px} stroke="#f0cd7c" stroke-width="1" vector-effect="non-scaling-stroke" />
          <circle cx="0" cy={-c.size.y / 2 - 26 * px} r={5 * px} fill="#161616" stroke="#f0cd7c" stroke-width="1.5" vector-effect="non-scaling-stroke" style="cursor:grab" onpointerdown={turnCover} role="presentation" data-testid="turn" />
          {#each handles as [sx, sy] (`${sx}${sy}`)}
            <circle
              cx={(sx * c.size.x) / 2}
              cy={(sy * c.size.y) / 2}
              r={(sx && sy ? 5 : 3.5) * px}
              fill="#f0cd7c"
              stroke="#161616"
              stroke-width="1"
              vector-effect="non-scaling-stroke"
              style="cursor:{sx * sy > 0 ? 'nwse' : sx * sy < 0 ? 'nesw' : sx ? 'ew' : 'ns'}-resize"
              onpointerdown={(e) => sizeCover(e, sx, sy)}
              role="presentation"
              data-testid="size {sx},{sy}"
            />
          {/each}
        </g>
      {/if}
      {#if drawing}
        {@const x = Math.min(drawing.x0, drawing.x1)}
        {@const y = Math.min(drawing.y0, drawing.y1)}
        {@const dw = Math.abs(drawing.x1 - drawing.x0)}
        {@const dh = Math.abs(drawing.y1 - drawing.y0)}
        {#if b.tool === 'ellipse'}
          <ellipse cx={x + dw / 2} cy={y + dh / 2} rx={dw / 2} ry={dh / 2} fill="none" stroke="#f0cd7c" stroke-width="1.5" vector-effect="non-scaling-stroke" />
        {:else}
          <rect {x} {y} width={dw} height={dh} fill="none" stroke="#f0cd7c" stroke-width="1.5" vector-effect="non-scaling-stroke" />
        {/if}
      {/if}
    </svg>
  {/if}
  {#if waiting}
    <p class="bg-base-100/90 absolute bottom-2 left-2 px-2 py-1" role="status">
      {src.state === 'ready' ? 'Decoding the frame' : src.state === 'failed' ? src.error : `View frames are being made: ${src.views} of ${src.frames}`}
    </p>
  {/if}
  {#if b.clean}<p class="bg-base-100/90 absolute top-2 left-2 px-2 py-1" role="status">Clean picture</p>{/if}
  {#if b.tool !== 'move' && !b.clean}
    <p class="bg-base-100/90 absolute top-2 left-2 px-2 py-1" role="status">
      {b.tool === 'pick' ? 'Click where the colour is' : b.cover ? 'This item has its cover' : b.item ? `Drag ${b.tool === 'box' ? 'a box' : 'an ellipse'} over ${b.items.find((i) => i.id === b.item)?.name}` : 'Add an item first'}
    </p>
  {/if}
</div>
