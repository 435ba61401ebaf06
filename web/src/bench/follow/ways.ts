/** Which way the tracker goes from a frame, and how far. */
export type Way = 'back' | 'forward' | 'both' | 'one back' | 'one on' | 'to mark back' | 'to mark on';

/** The first and the last frame of a way: within the span, or up to the nearest mark. */
export function framesOf(
  way: Way,
  at: number,
  span: { first: number; last: number },
  marks: number[],
): [number, number] {
  const first = Math.min(span.first, at);
  const last = Math.max(span.last, at);
  const before = Math.max(first, ...marks.filter((m) => m < at));
  const after = Math.min(last, ...marks.filter((m) => m > at));
  const all: Record<Way, [number, number]> = {
    back: [first, at - 1],
    forward: [at + 1, last],
    both: [first, last],
    'one back': [at - 1, at - 1],
    'one on': [at + 1, at + 1],
    'to mark back': [before, at - 1],
    'to mark on': [at + 1, after],
  };
  return all[way];
}
