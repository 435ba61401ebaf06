import type { Point } from '../api/api';

/** Takes a point through a map, row by row. */
export function carry(m: number[], p: Point): Point {
  const w = m[6]! * p.x + m[7]! * p.y + m[8]!;
  return { x: (m[0]! * p.x + m[1]! * p.y + m[2]!) / w, y: (m[3]! * p.x + m[4]! * p.y + m[5]!) / w };
}

/** How much larger a selected cover's track draws it than it was drawn. */
export function carried(state: { carry: number[]; home: Point }): number {
  const o = carry(state.carry, state.home);
  const p = carry(state.carry, { x: state.home.x + 1, y: state.home.y });
  const q = carry(state.carry, { x: state.home.x, y: state.home.y + 1 });
  const area = Math.abs((p.x - o.x) * (q.y - o.y) - (p.y - o.y) * (q.x - o.x));
  return Math.min(Math.max(Math.sqrt(area), 0.05), 20);
}
