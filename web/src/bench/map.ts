import type { Point } from '../api/api';

/** Takes a point through a map, row by row. */
export function carry(m: number[], p: Point): Point {
  const w = m[6]! * p.x + m[7]! * p.y + m[8]!;
  return { x: (m[0]! * p.x + m[1]! * p.y + m[2]!) / w, y: (m[3]! * p.x + m[4]! * p.y + m[5]!) / w };
}
