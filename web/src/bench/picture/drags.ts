// What dragging does to the selected cover: commands made from the pointer's place are
// shown while it moves, and saved when it is let go.
import type { Command, Knot, Placement, Point } from '../../api/api';
import { core } from '../../core/core';
import type { Bench } from '../bench.svelte';
import { carry } from '../map';
import type { Pointer } from './pointer';

/** A vector turned clockwise by degrees. */
export function turned(x: number, y: number, degrees: number): Point {
  const a = (degrees * Math.PI) / 180;
  return { x: x * Math.cos(a) - y * Math.sin(a), y: x * Math.sin(a) + y * Math.cos(a) };
}

const length = (p: Point | undefined) => (p ? Math.hypot(p.x, p.y) : 0);

export class Drags {
  constructor(
    private bench: Bench,
    private pointer: Pointer,
    /** Whether the selected cover may be dragged. */
    private free: () => boolean,
  ) {}

  private get state() {
    return this.bench.selection.state!;
  }

  private drag(e: PointerEvent, to: (q: Point, m: PointerEvent) => Command, then: () => void = () => {}): void {
    if (e.button !== 0 || this.pointer.pans(e) || !this.free()) return;
    const { playhead, session } = this.bench;
    playhead.pause();
    let last: Command | undefined;
    this.pointer.follow(
      e,
      (q, m) => session.show([(last = to(q, m))]),
      (moved) => {
        if (!moved || !last) return;
        void session.save([last]);
        then();
      },
    );
  }

  private dragPlacement(e: PointerEvent, to: (q: Point, m: PointerEvent) => Placement, then?: () => void): void {
    this.drag(e, (q, m) => this.bench.outlining.place(to(q, m)), then);
  }

  /** Moves the cover; with Ctrl along one axis. */
  move(e: PointerEvent): void {
    const from = this.pointer.place(e);
    const p = this.state.placement;
    this.dragPlacement(
      e,
      (q, m) => {
        const to = { ...q };
        if (m.ctrlKey) {
          const axis = Math.abs(q.x - from.x) > Math.abs(q.y - from.y) ? 'y' : 'x';
          to[axis] = from[axis];
        }
        const d = this.bench.outlining.wayBack(from, to);
        return { ...p, move: { x: p.move.x + d.x, y: p.move.y + d.y } };
      },
      this.bench.outlining.placed,
    );
  }

  /**
   * Sizes by the handle on side (sx, sy), which stands off the box by so much: the
   * opposite side stays, or with Alt the centre; with Ctrl in proportion.
   */
  size(e: PointerEvent, sx: number, sy: number, off: number): void {
    const c = this.state;
    const p = c.placement;
    const rest = { x: c.size.x / p.size.x, y: c.size.y / p.size.y };
    const fixed = turned((-sx * c.size.x) / 2, (-sy * c.size.y) / 2, p.turn);
    this.dragPlacement(e, (at, m) => {
      const q = carry(c.back, at);
      const from = m.altKey ? { x: 0, y: 0 } : fixed;
      const local = turned(q.x - c.home.x - from.x, q.y - c.home.y - from.y, -p.turn);
      const k = m.altKey ? 2 : 1;
      let w = sx ? Math.max((sx * local.x - off) * k, 2) : c.size.x;
      let h = sy ? Math.max((sy * local.y - off) * k, 2) : c.size.y;
      if (m.ctrlKey && sx && sy) {
        const r = Math.max(w / c.size.x, h / c.size.y);
        [w, h] = [c.size.x * r, c.size.y * r];
      }
      const shift = m.altKey ? { x: 0, y: 0 } : turned((sx * (w - c.size.x)) / 2, (sy * (h - c.size.y)) / 2, p.turn);
      return { ...p, move: { x: p.move.x + shift.x, y: p.move.y + shift.y }, size: { x: w / rest.x, y: h / rest.y } };
    });
  }

  /** Turns about the middle of the box, which stays where it is; with Ctrl in steps of 15°. */
  turn(e: PointerEvent): void {
    const c = this.state;
    const p = c.placement;
    const angle = (at: Point) => {
      const q = carry(c.back, at);
      return (Math.atan2(q.y - c.home.y, q.x - c.home.x) * 180) / Math.PI;
    };
    const from = angle(this.pointer.place(e));
    this.dragPlacement(e, (q, m) => {
      let d = angle(q) - from;
      d -= 360 * Math.round(d / 360);
      return this.bench.outlining.posed(m.ctrlKey ? Math.round((p.turn + d) / 15) * 15 : p.turn + d, p.size);
    });
  }

  /** Moves a knot and those selected with it; with Shift it is selected, or no more. */
  knot(e: PointerEvent, outline: string, i: number): void {
    const { selection, viewport, outlining } = this.bench;
    if (e.button !== 0 || viewport.panning) return;
    const has = selection.knots.outline === outline && selection.knots.indexes.includes(i);
    if (e.shiftKey) {
      e.stopPropagation();
      const rest = selection.knots.outline === outline ? selection.knots.indexes : [];
      selection.knots = { outline, indexes: has ? rest.filter((k) => k !== i) : [...rest, i] };
      return;
    }
    if (!has) selection.knots = { outline, indexes: [i] };
    const was = this.knotsOf(outline);
    const from = this.pointer.place(e);
    const picked = new Set(selection.knots.indexes);
    const shifted = (k: Knot, q: Point) => ({ ...k, p: { x: k.p.x + q.x - from.x, y: k.p.y + q.y - from.y } });
    this.drag(e, (q) =>
      outlining.reshape(
        outline,
        was.map((k, j) => (picked.has(j) ? shifted(k, q) : k)),
      ),
    );
  }

  /** Drags a handle; the one across stays in line with it, or with Alt where it is. */
  handle(e: PointerEvent, outline: string, i: number, end: 'in' | 'out'): void {
    const was = this.knotsOf(outline);
    const k = was[i]!;
    const other = end === 'in' ? 'out' : 'in';
    const bend = k.in && k.out ? Math.abs(k.in.x * k.out.y - k.in.y * k.out.x) : Infinity;
    const inLine = bend < 1e-3 * length(k.in) * length(k.out);
    this.drag(e, (q, m) => {
      const d = { x: q.x - k.p.x, y: q.y - k.p.y };
      const next: Knot = { ...k, [end]: d };
      const l = length(d);
      const far = length(k[other]);
      if (inLine && !m.altKey && l > 0) next[other] = { x: (-d.x * far) / l, y: (-d.y * far) / l };
      return this.bench.outlining.reshape(
        outline,
        was.map((x, j) => (j === i ? next : x)),
      );
    });
  }

  private knotsOf(outline: string): Knot[] {
    return this.state.outlines.find((o) => o.id === outline)!.knots;
  }

  /** Moves the cover on another frame, by a point of its course. */
  course(e: PointerEvent, f: number): void {
    const from = this.pointer.place(e);
    const cover = this.bench.selection.cover!.id;
    const c = core.selected({ cover, frame: f });
    const p = c.placement;
    const home = carry(c.back, from);
    this.drag(e, (at) => {
      const q = carry(c.back, at);
      const placement = { ...p, move: { x: p.move.x + q.x - home.x, y: p.move.y + q.y - home.y } };
      return { do: 'place', cover, frame: f, scope: 'frame', placement };
    });
  }

  /** Puts a knot on the line where it is not more than reach px away. */
  insertKnot(e: MouseEvent, reach: number): void {
    if (!this.free()) return;
    const { selection, playhead } = this.bench;
    const n = core.nearest({ cover: this.state.id, frame: playhead.frame, point: this.pointer.place(e) });
    if (n.distance > reach || n.at <= 0 || n.at >= 1) return;
    selection.edit({ do: 'insertKnot', id: n.id, index: n.segment, at: n.at });
    selection.knots = { outline: n.id, indexes: [n.segment + 1] };
  }

  toggleSmooth(outline: { id: string; knots: Knot[] }, i: number): void {
    const k = outline.knots[i]!;
    this.bench.selection.knots = { outline: outline.id, indexes: [i] };
    this.bench.selection.editKnots({ do: 'smooth', on: !k.in && !k.out });
  }

  /** Moves a corner of the surface that is being put right, or all of it where i is -1. */
  correction(e: PointerEvent, i: number): void {
    if (e.button !== 0 || this.pointer.pans(e)) return;
    const from = this.pointer.place(e);
    const { following } = this.bench;
    const was = following.correction!;
    this.pointer.follow(
      e,
      (q) => {
        const by = { x: q.x - from.x, y: q.y - from.y };
        const corners = was.corners.map((p, j) => (i < 0 || i === j ? { x: p.x + by.x, y: p.y + by.y } : p));
        following.correction = { ...was, corners };
      },
      () => {},
    );
  }
}
