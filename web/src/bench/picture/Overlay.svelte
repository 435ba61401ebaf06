<script lang="ts">
  // What lies on the picture: outlines, handles, knots, the course, the drawing.
  // All coordinates are the picture's; px is the size of a screen pixel there.
  import type { Bench } from '../bench.svelte';
  import { core } from '../../core/core';
  import { carry } from '../map';
  import type { Command, Knot, Placement, Point } from '../../api/api';

  interface Props {
    bench: Bench;
    px: number;
    place: (e: PointerEvent) => Point;
    follow: (e: PointerEvent, move: (p: Point, e: PointerEvent) => void, end: (moved: boolean) => void) => void;
    pans: (e: PointerEvent) => boolean;
  }
  let { bench, px, place, follow, pans }: Props = $props();

  const bright = '#f0cd7c';
  const dark = '#161616';
  const hand = $derived(bench.selection.state);
  const cover = $derived(bench.selection.cover);
  const free = $derived(
    bench.toolbox.tool === 'move' &&
      !cover?.locked &&
      !cover?.unseen &&
      bench.playhead.speed === 0 &&
      hand?.inside &&
      (bench.steps.current !== 'hold' || bench.holdouts.outlined)
      ? hand
      : undefined,
  ); // holding out moves no cover
  const mending = $derived(
    bench.following.correction?.frame === bench.playhead.frame ? bench.following.correction : undefined,
  );
  // A box is sized by its own corners; around other outlines stands a frame apart.
  const boxes = $derived(hand?.outlines.every((o) => o.shape === 'box' || o.shape === 'ellipse') ?? true);
  const apart = $derived(boxes ? 0 : 12 * px);

  /** Drags: commands made from the pointer's place are shown, and saved at the end. */
  function drag(e: PointerEvent, to: (q: Point, m: PointerEvent) => Command) {
    if (e.button !== 0 || pans(e) || !free) return;
    bench.playhead.pause();
    let last: Command | undefined;
    follow(
      e,
      (q, m) => bench.session.show([(last = to(q, m))]),
      (moved) => void (moved && last && bench.session.save([last])),
    );
  }
  const placed = (e: PointerEvent, to: (q: Point, m: PointerEvent) => Placement) =>
    drag(e, (q, m) => bench.outlining.place(to(q, m)));

  function moveCover(e: PointerEvent) {
    const from = place(e);
    const p = hand!.placement;
    placed(e, (q, m) => {
      const to = { ...q };
      if (m.ctrlKey) {
        const axis = Math.abs(q.x - from.x) > Math.abs(q.y - from.y) ? 'y' : 'x';
        to[axis] = from[axis];
      }
      const d = bench.outlining.wayBack(from, to);
      return { ...p, move: { x: p.move.x + d.x, y: p.move.y + d.y } };
    });
  }

  const turned = (x: number, y: number, deg: number) => {
    const a = (deg * Math.PI) / 180;
    return { x: x * Math.cos(a) - y * Math.sin(a), y: x * Math.sin(a) + y * Math.cos(a) };
  };

  /** Sizes by the handle on side (sx, sy): the opposite side stays, or with Alt the centre. */
  function sizeCover(e: PointerEvent, sx: number, sy: number) {
    const c = hand!;
    const p = c.placement;
    const rest = { x: c.size.x / p.size.x, y: c.size.y / p.size.y };
    const fixed = turned((-sx * c.size.x) / 2, (-sy * c.size.y) / 2, p.turn);
    placed(e, (at, m) => {
      const q = carry(c.back, at);
      const from = m.altKey ? { x: 0, y: 0 } : fixed;
      const local = turned(q.x - c.home.x - from.x, q.y - c.home.y - from.y, -p.turn);
      const k = m.altKey ? 2 : 1;
      let nw = sx ? Math.max((sx * local.x - apart) * k, 2) : c.size.x;
      let nh = sy ? Math.max((sy * local.y - apart) * k, 2) : c.size.y;
      if (m.ctrlKey && sx && sy) {
        // in proportion
        const r = Math.max(nw / c.size.x, nh / c.size.y);
        [nw, nh] = [c.size.x * r, c.size.y * r];
      }
      const shift = m.altKey ? { x: 0, y: 0 } : turned((sx * (nw - c.size.x)) / 2, (sy * (nh - c.size.y)) / 2, p.turn);
      return { ...p, move: { x: p.move.x + shift.x, y: p.move.y + shift.y }, size: { x: nw / rest.x, y: nh / rest.y } };
    });
  }

  /** Turns about the middle of the box, which stays where it is. */
  function turnCover(e: PointerEvent) {
    const c = hand!;
    const p = c.placement;
    const angle = (at: Point) => {
      const q = carry(c.back, at);
      return (Math.atan2(q.y - c.home.y, q.x - c.home.x) * 180) / Math.PI;
    };
    const from = angle(place(e));
    placed(e, (q, m) => {
      let d = angle(q) - from;
      d -= 360 * Math.round(d / 360);
      const turn = m.ctrlKey ? Math.round((p.turn + d) / 15) * 15 : p.turn + d;
      return bench.outlining.posed(turn, p.size);
    });
  }

  function knotDown(e: PointerEvent, outline: string, i: number) {
    if (e.button !== 0 || bench.viewport.panning) return;
    const has = bench.selection.knots.outline === outline && bench.selection.knots.indexes.includes(i);
    if (e.shiftKey) {
      e.stopPropagation();
      const rest = bench.selection.knots.outline === outline ? bench.selection.knots.indexes : [];
      bench.selection.knots = { outline, indexes: has ? rest.filter((k) => k !== i) : [...rest, i] };
      return;
    }
    if (!has) bench.selection.knots = { outline, indexes: [i] };
    const was = hand!.outlines.find((o) => o.id === outline)!.knots;
    const from = place(e);
    const picked = new Set(bench.selection.knots.indexes);
    drag(e, (q) =>
      bench.outlining.reshape(
        outline,
        was.map((k, j) => (picked.has(j) ? { ...k, p: { x: k.p.x + q.x - from.x, y: k.p.y + q.y - from.y } } : k)),
      ),
    );
  }

  /** Drags a handle; the one across stays in line with it, or with Alt where it is. */
  function handleDown(e: PointerEvent, outline: string, i: number, end: 'in' | 'out') {
    const was = hand!.outlines.find((o) => o.id === outline)!.knots;
    const k = was[i]!;
    const other = end === 'in' ? 'out' : 'in';
    const inLine =
      k.in &&
      k.out &&
      Math.abs(k.in.x * k.out.y - k.in.y * k.out.x) < 1e-3 * Math.hypot(k.in.x, k.in.y) * Math.hypot(k.out.x, k.out.y);
    drag(e, (q, m) => {
      const d = { x: q.x - k.p.x, y: q.y - k.p.y };
      const next: Knot = { ...k, [end]: d };
      const l = Math.hypot(d.x, d.y);
      const far = k[other] ? Math.hypot(k[other].x, k[other].y) : 0;
      if (inLine && !m.altKey && l > 0) next[other] = { x: (-d.x * far) / l, y: (-d.y * far) / l };
      return bench.outlining.reshape(
        outline,
        was.map((x, j) => (j === i ? next : x)),
      );
    });
  }

  /** A double click on the line puts a knot there. */
  function insert(e: MouseEvent) {
    if (!free) return;
    const n = core.nearest({ cover: hand!.id, frame: bench.playhead.frame, point: place(e as PointerEvent) });
    if (n.distance > 8 * px || n.at <= 0 || n.at >= 1) return;
    bench.selection.edit({ do: 'insertKnot', id: n.id, index: n.segment, at: n.at });
    bench.selection.knots = { outline: n.id, indexes: [n.segment + 1] };
  }

  function toggleSmooth(o: { id: string; knots: Knot[] }, i: number) {
    bench.selection.knots = { outline: o.id, indexes: [i] };
    bench.selection.editKnots({ do: 'smooth', on: !o.knots[i]!.in && !o.knots[i]!.out });
  }

  /** Drags a corner of the surface that is being put right, or all of it. */
  function mendDown(e: PointerEvent, i: number) {
    if (e.button !== 0 || pans(e)) return;
    const from = place(e);
    const was = bench.following.correction!;
    follow(
      e,
      (q) =>
        (bench.following.correction = {
          ...was,
          corners: was.corners.map((p, j) =>
            i < 0 || i === j ? { x: p.x + q.x - from.x, y: p.y + q.y - from.y } : p,
          ) as typeof was.corners,
        }),
      () => {},
    );
  }

  // The course of the centre: a point a frame, larger where the placement has a key.
  const course = $derived.by(() => {
    if (!bench.viewport.course || !cover) return [];
    void bench.selection.shapes;
    const keyed = new Set(hand!.lanes.find((l) => l.name === 'placement')?.frames);
    return core
      .course({ cover: cover.id })
      .map((p, i) => ({ ...p, f: cover.span.first + i, key: keyed.has(cover.span.first + i) }));
  });
  function courseDown(e: PointerEvent, f: number) {
    const from = place(e);
    const h = core.selected({ cover: cover!.id, frame: f });
    const p = h.placement;
    const home = carry(h.back, from);
    drag(e, (at) => {
      const q = carry(h.back, at);
      return {
        do: 'place',
        cover: cover!.id,
        frame: f,
        scope: 'frame',
        placement: { ...p, move: { x: p.move.x + q.x - home.x, y: p.move.y + q.y - home.y } },
      };
    });
  }

  const labels = $derived.by(() => {
    void bench.selection.shapes;
    return bench.session.document?.labels?.length ? core.labels({ frame: bench.playhead.frame }) : [];
  });

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
  const drawn = $derived.by(() => {
    const d = bench.toolbox.drawing;
    if (!d?.open) return undefined;
    const ks = d.knots;
    if (d.shape === 'ellipse') return { d: '', ellipse: [ks[0]!.p, ks[2]!.p] as const };
    const seg = (k: Knot, l: Knot) =>
      `C${k.p.x + (k.out?.x ?? 0)} ${k.p.y + (k.out?.y ?? 0)} ${l.p.x + (l.in?.x ?? 0)} ${l.p.y + (l.in?.y ?? 0)} ${l.p.x} ${l.p.y}`;
    let s =
      `M${ks[0]!.p.x} ${ks[0]!.p.y}` +
      ks
        .slice(1)
        .map((k, i) => seg(ks[i]!, k))
        .join('');
    if (ks.length === 4 && d.shape !== 'path') s += 'Z';
    else if (d.at) s += seg(ks.at(-1)!, { p: d.at });
    return { d: s, ellipse: undefined };
  });
</script>

{#snippet line(d: string, colour: string, width: number, dash?: string)}
  <path
    {d}
    fill="none"
    stroke="#000"
    stroke-opacity=".55"
    stroke-width={width + 2}
    vector-effect="non-scaling-stroke"
    pointer-events="none"
  />
  <path
    {d}
    fill="none"
    stroke={colour}
    stroke-width={width}
    stroke-dasharray={dash}
    vector-effect="non-scaling-stroke"
    pointer-events="none"
  />
{/snippet}

{#each bench.selection.shapes as c (c.id)}
  {@const doc = bench.session.document!.covers.find((x) => x.id === c.id)!}
  {@const inHand = c.id === cover?.id}
  {#if c.inside && !doc.unseen}
    {@render line(
      c.path,
      inHand ? bright : '#d6d6d6',
      inHand ? 1.5 : 1,
      doc.off ? '2 5' : doc.locked ? '7 3' : doc.holdsOut ? '10 2 2 2' : undefined,
    )}
    {#if inHand}
      <path
        d={c.path}
        fill="transparent"
        stroke="transparent"
        stroke-width="10"
        vector-effect="non-scaling-stroke"
        style:cursor={free ? 'move' : 'inherit'}
        onpointerdown={moveCover}
        ondblclick={insert}
        role="presentation"
        data-testid="cover-in-hand"
        data-cover={c.id}
      />
    {:else if bench.toolbox.tool === 'move'}
      <path
        d={c.path}
        fill="transparent"
        role="presentation"
        onpointerdown={(e) =>
          !pans(e) &&
          e.button === 0 &&
          (doc.item || doc.holdsOut) &&
          (e.stopPropagation(),
          doc.holdsOut
            ? bench.selection.holdouts.some((h) => h.id === doc.id) && bench.holdouts.select(doc.id)
            : bench.selection.select(doc.item!))}
      />
    {/if}
  {/if}
{/each}

<!-- Labels, as review copies have them. -->
{#each labels as l (l)}
  {@const [cx, cy] = [(l.box.min.x + l.box.max.x) / 2, (l.box.min.y + l.box.max.y) / 2]}
  {@const [rx, ry] = [(l.box.max.x - l.box.min.x) * 0.6 + 4, (l.box.max.y - l.box.min.y) * 0.6 + 4]}
  {#if l.ring}<ellipse
      {cx}
      {cy}
      {rx}
      {ry}
      fill="none"
      stroke={l.colour}
      stroke-width={Math.max(l.size / 9, 2)}
      pointer-events="none"
    />{/if}
  {#if l.text}
    <text
      x={cx}
      y={Math.max((l.ring ? cy - ry - l.size / 4 : l.box.min.y) - l.size / 2, l.size)}
      text-anchor="middle"
      font-size={l.size}
      fill={l.colour}
      stroke="#141414"
      stroke-width={l.size / 6}
      paint-order="stroke"
      pointer-events="none"
      data-testid="label">{l.text}</text
    >
  {/if}
{/each}

<!-- What is held out: hatched grey where that is accepted, thinly dotted where it is only proposed. -->
{#if bench.steps.current === 'hold' && bench.playhead.speed === 0 && !bench.session.saving}
  {#each bench.selection.holdouts.filter((c) => !c.off && c.span.first <= bench.playhead.frame && bench.playhead.frame <= c.span.last) as c (c.id)}
    {@const on =
      !c.proposed || c.proposed.accepted.some((s) => s.first <= bench.playhead.frame && bench.playhead.frame <= s.last)}
    {#if c.id === bench.selection.holdoutId || on}
      <defs>
        <mask
          id="front-{c.id}"
          maskUnits="userSpaceOnUse"
          x="0"
          y="0"
          width={bench.shot.width}
          height={bench.shot.height}
        >
          <image
            href="/api/shots/{bench.shot.id}/front/{bench.session.shown}/{c.id}/{bench.playhead.frame}"
            x="0"
            y="0"
            width={bench.shot.width}
            height={bench.shot.height}
            preserveAspectRatio="none"
          />
        </mask>
        <pattern
          id="hatch-{c.id}"
          patternUnits="userSpaceOnUse"
          width={(on ? 7 : 5) * px}
          height={(on ? 7 : 5) * px}
          patternTransform="rotate(45)"
        >
          {#if on}<rect width={3 * px} height={7 * px} fill="#e6e6e6" fill-opacity=".55" /><rect
              x={3 * px}
              width={px}
              height={7 * px}
              fill="#161616"
              fill-opacity=".6"
            />{:else}<circle cx={1.5 * px} cy={1.5 * px} r={1.1 * px} fill="#ffffff" fill-opacity=".85" />{/if}
        </pattern>
      </defs>
      <rect
        width={bench.shot.width}
        height={bench.shot.height}
        fill="url(#hatch-{c.id})"
        mask="url(#front-{c.id})"
        pointer-events="none"
        data-testid="front"
        data-accepted={on}
      />
    {/if}
  {/each}
{/if}
{#if bench.holdouts.stroke.length}
  <path
    d={'M' +
      bench.holdouts.stroke.map((p) => `${p.x} ${p.y}`).join('L') +
      (bench.holdouts.stroke.length === 1 ? 'h0' : '')}
    fill="none"
    stroke={bench.holdouts.adds ? '#e6e6e6' : dark}
    stroke-opacity=".6"
    stroke-width={2 * bench.holdouts.radius}
    stroke-linecap="round"
    stroke-linejoin="round"
    pointer-events="none"
  />
{/if}

{#if course.length}
  {@render line('M' + course.map((p) => `${p.x} ${p.y}`).join('L'), '#9fc9ba', 1)}
  {#each course as p (p.f)}
    <circle
      cx={p.x}
      cy={p.y}
      r={(p.key ? 4 : p.f === bench.playhead.frame ? 3 : 1.5) * px}
      fill={p.key ? '#9fc9ba' : p.f === bench.playhead.frame ? '#fff' : '#6e9485'}
      stroke={dark}
      stroke-width={p.key ? 1 : 0}
      vector-effect="non-scaling-stroke"
      style:cursor={free ? 'move' : 'default'}
      onpointerdown={(e) => courseDown(e, p.f)}
      role="presentation"
      data-testid={p.key ? `course ${p.f}` : undefined}
    />
  {/each}
{/if}

<!-- The surface: a dotted line with corner ticks, in the form of how well it is known. -->
{#snippet ticks(corners: Point[], colour: string)}
  {#each corners as p, i (i)}
    {@const [q, r] = [corners[(i + 1) % corners.length]!, corners[(i + corners.length - 1) % corners.length]!]}
    {@const way = (to: Point) => {
      const l = Math.hypot(to.x - p.x, to.y - p.y) || 1;
      const k = Math.min(9 * px, l / 3) / l;
      return { x: p.x + (to.x - p.x) * k, y: p.y + (to.y - p.y) * k };
    }}
    {@const [u, v] = [way(q), way(r)]}
    {@render line(`M${u.x} ${u.y}L${p.x} ${p.y}L${v.x} ${v.y}`, colour, 2)}
  {/each}
{/snippet}
{#snippet cross(p: Point, colour: string)}
  {@render line(
    `M${p.x - 6 * px} ${p.y}L${p.x + 6 * px} ${p.y}M${p.x} ${p.y - 6 * px}L${p.x} ${p.y + 6 * px}`,
    colour,
    1.5,
  )}
{/snippet}
{#if mending}
  {@render line('M' + mending.corners.map((p) => `${p.x} ${p.y}`).join('L') + 'Z', '#ffffff', 1, '1 4')}
  {@render ticks(mending.corners, '#ffffff')}
  {#each mending.corners as p, i (i)}
    <circle
      cx={p.x}
      cy={p.y}
      r={6 * px}
      fill="#fff"
      fill-opacity=".25"
      stroke="#fff"
      stroke-width="1.5"
      vector-effect="non-scaling-stroke"
      style="cursor:move"
      onpointerdown={(e) => mendDown(e, i)}
      role="presentation"
      data-testid="mend {i}"
    />
  {/each}
  <path
    d={'M' + mending.corners.map((p) => `${p.x} ${p.y}`).join('L') + 'Z'}
    fill="transparent"
    style="cursor:move"
    onpointerdown={(e) => mendDown(e, -1)}
    role="presentation"
    data-testid="mend all"
  />
{:else if (bench.steps.current === 'follow' && bench.following.shown) || bench.following.running}
  {@const s = bench.following.surface}
  {#if s && s.state !== '-'}
    {@const colour = { a: '#ffffff', g: '#8fd0b8', w: '#e2b45c', l: '#e8684a', o: '#8d8d8d' }[s.state] ?? '#8d8d8d'}
    {#if s.path}
      {@render line(s.path, colour, 1, s.state === 'l' ? '1 8' : s.state === 'w' ? '5 3' : '1 3')}
      {@render ticks(s.corners, colour)}
    {/if}
    {#if !s.path}
      {#each s.outline as p, i (i)}{@render cross(p, colour)}{/each}
    {/if}
  {/if}
  {#if bench.following.ghost}{@render line(bench.following.ghost, bright, 1.5, '6 3')}{/if}
{/if}
{#if bench.following.apart && bench.following.apart.frame === bench.playhead.frame && !bench.following.running}
  {@const a = bench.following.apart}
  {#if a.points}
    {#each a.surface as p, i (i)}{@render cross(p, '#ffffff')}{/each}
  {:else}
    {@render line('M' + a.surface.map((p) => `${p.x} ${p.y}`).join('L') + 'Z', '#ffffff', 1, '1 4')}
    {@render ticks(a.surface, '#ffffff')}
  {/if}
{/if}

{#if bench.session.conflict?.path}{@render line(bench.session.conflict.path, '#e8684a', 1.5, '6 4')}{/if}

{#if free && bench.toolbox.drawing === undefined && !mending}
  {@const c = free}
  {#if bench.selection.knots.indexes.length === 0}
    {@const [hx, hy] = [c.size.x / 2 + apart, c.size.y / 2 + apart]}
    {@const at = (x: number, y: number) => {
      const v = turned(x, y, c.placement.turn);
      return carry(c.carry, { x: c.home.x + v.x, y: c.home.y + v.y });
    }}
    {@const up = at(0, -hy)}
    {@const far = Math.hypot(up.x - c.centre.x, up.y - c.centre.y) || 1}
    {@const knob = { x: up.x + ((up.x - c.centre.x) / far) * 24 * px, y: up.y + ((up.y - c.centre.y) / far) * 24 * px }}
    {#if !boxes}<polygon
        points={[at(-hx, -hy), at(hx, -hy), at(hx, hy), at(-hx, hy)].map((p) => `${p.x},${p.y}`).join(' ')}
        fill="none"
        stroke={bright}
        stroke-opacity=".7"
        stroke-dasharray="2 4"
        vector-effect="non-scaling-stroke"
        pointer-events="none"
      />{/if}
    <line
      x1={up.x}
      y1={up.y}
      x2={knob.x}
      y2={knob.y}
      stroke={bright}
      stroke-width="1"
      vector-effect="non-scaling-stroke"
    />
    <circle
      cx={knob.x}
      cy={knob.y}
      r={5 * px}
      fill={dark}
      stroke={bright}
      stroke-width="1.5"
      vector-effect="non-scaling-stroke"
      style="cursor:grab"
      onpointerdown={turnCover}
      role="presentation"
      data-testid="turn"
    />
    {#each handles as [sx, sy] (`${sx}${sy}`)}
      {@const p = at(sx * hx, sy * hy)}
      <circle
        cx={p.x}
        cy={p.y}
        r={(sx && sy ? 5 : 3.5) * px}
        fill={boxes ? bright : dark}
        stroke={boxes ? dark : bright}
        stroke-width="1"
        vector-effect="non-scaling-stroke"
        style="cursor:{sx * sy > 0 ? 'nwse' : sx * sy < 0 ? 'nesw' : sx ? 'ew' : 'ns'}-resize"
        onpointerdown={(e) => sizeCover(e, sx, sy)}
        role="presentation"
        data-testid="size {sx},{sy}"
      />
    {/each}
  {/if}
  {#each c.outlines as o (o.id)}
    {#if o.shape === 'path' || o.shape === 'corners'}
      {#each o.knots as k, i (i)}
        {@const picked = bench.selection.knots.outline === o.id && bench.selection.knots.indexes.includes(i)}
        {#if picked}
          {#each ['in', 'out'] as const as end (end)}
            {@const d = k[end]}
            {#if d && (d.x || d.y)}
              <line
                x1={k.p.x}
                y1={k.p.y}
                x2={k.p.x + d.x}
                y2={k.p.y + d.y}
                stroke={bright}
                stroke-width="1"
                vector-effect="non-scaling-stroke"
                pointer-events="none"
              />
              <circle
                cx={k.p.x + d.x}
                cy={k.p.y + d.y}
                r={3.5 * px}
                fill={dark}
                stroke={bright}
                stroke-width="1.5"
                vector-effect="non-scaling-stroke"
                style="cursor:move"
                onpointerdown={(e) => handleDown(e, o.id, i, end)}
                role="presentation"
                data-testid="handle {i} {end}"
              />
            {/if}
          {/each}
        {/if}
        <circle
          cx={k.p.x}
          cy={k.p.y}
          r={(picked ? 5.5 : 4.5) * px}
          fill={picked ? '#fff' : bright}
          stroke={dark}
          stroke-width="1"
          vector-effect="non-scaling-stroke"
          style="cursor:move"
          onpointerdown={(e) => knotDown(e, o.id, i)}
          ondblclick={(e) => (e.stopPropagation(), toggleSmooth(o, i))}
          role="presentation"
          data-testid="knot {i}"
        />
      {/each}
    {/if}
  {/each}
{/if}

{#if drawn}
  {#if drawn.ellipse}
    {@const [p, q] = drawn.ellipse}
    <ellipse
      cx={(p.x + q.x) / 2}
      cy={(p.y + q.y) / 2}
      rx={(q.x - p.x) / 2}
      ry={(q.y - p.y) / 2}
      fill="none"
      stroke={bright}
      stroke-width="1.5"
      vector-effect="non-scaling-stroke"
    />
  {:else}
    {@render line(drawn.d, bright, 1.5)}
    {#if bench.toolbox.drawing!.shape === 'path' || bench.toolbox.drawing!.shape === 'corners'}
      {#each bench.toolbox.drawing!.knots as k, i (i)}
        <circle
          cx={k.p.x}
          cy={k.p.y}
          r={(i === 0 ? 6 : 3.5) * px}
          fill={i === 0 ? dark : bright}
          stroke={i === 0 ? bright : dark}
          stroke-width="1.5"
          vector-effect="non-scaling-stroke"
          pointer-events="none"
        />
      {/each}
    {/if}
  {/if}
{/if}
