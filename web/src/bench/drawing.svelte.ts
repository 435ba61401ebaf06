// An outline that is being drawn, until it is closed or discarded.
import type { Knot, Point } from '../api/api';

export type Shape = 'box' | 'ellipse' | 'corners' | 'path';

const least = 2; // px, below which a box hides nothing

export class Drawing {
  /** Knots of a path or corners so far; the corners of a box or an ellipse. */
  knots = $state.raw<Knot[]>([]);
  /** Where the pointer is, for the line that follows it. */
  at = $state.raw<Point>();

  constructor(readonly shape: Shape) {}

  get open(): boolean {
    return this.knots.length > 0;
  }

  /** Drags a box from the first corner, an ellipse inside it, or four corners. */
  drag(from: Point, to: Point): void {
    const [x0, x1] = [Math.min(from.x, to.x), Math.max(from.x, to.x)];
    const [y0, y1] = [Math.min(from.y, to.y), Math.max(from.y, to.y)];
    this.knots = [{ p: { x: x0, y: y0 } }, { p: { x: x1, y: y0 } }, { p: { x: x1, y: y1 } }, { p: { x: x0, y: y1 } }];
  }

  add(p: Point): void {
    this.knots = [...this.knots, { p }];
  }

  /** Pulls handles out of the last knot while it is still pressed. */
  pull(to: Point): void {
    const k = this.knots.at(-1)!;
    const d = { x: to.x - k.p.x, y: to.y - k.p.y };
    this.knots = [...this.knots.slice(0, -1), { p: k.p, out: d, in: { x: -d.x, y: -d.y } }];
  }

  back(): void {
    this.knots = this.knots.slice(0, -1);
  }

  /** Whether there is enough of it to hide something. */
  get whole(): boolean {
    if (this.shape === 'path') return this.knots.length >= 3;
    if (this.knots.length < 4) return false;
    const [a, , c] = this.knots as [Knot, Knot, Knot];
    return this.shape === 'corners' || (c.p.x - a.p.x >= least && c.p.y - a.p.y >= least);
  }
}
