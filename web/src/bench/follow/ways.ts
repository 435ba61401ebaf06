import type { Attempt, Cover, Track } from '../../api/api';

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

/** The frames that a track is used over: from where it begins to all that the covers on it need. */
export function usedOver(track: Track, covers: Cover[], last: number): [number, number] {
  const riders = covers.filter((c) => c.track === track.id);
  const frames = [track.frame, ...riders.flatMap((c) => [c.span.first, c.span.last, c.from ?? 0])];
  return [Math.max(Math.min(...frames), 0), Math.min(Math.max(...frames), last)];
}

/** The runs not tried yet, of others: with other models, and from surfaces as they lie on other frames. */
export function untried(
  track: Track,
  elsewhere: { frame: number; surface: Track['surface'] }[],
  [from, to]: [number, number],
  runs: Attempt[],
): Track[] {
  const models = new Set<Track['model']>(['similarity', 'affine', 'perspective', track.model]);
  const wanted: Track[] = [
    ...[...models].map((model) => ({ ...track, model })),
    ...elsewhere.map((at) => ({ ...track, ...at, anchors: [] })),
  ];
  const what = (t: Track) => JSON.stringify([t.frame, t.model, t.channel, t.surface, t.anchors]);
  const tried = runs.filter((a) => a.compare && a.state !== 'failed' && a.from === from && a.to === to);
  return wanted.filter((w) => !tried.some((a) => what(a.track) === what(w)));
}
