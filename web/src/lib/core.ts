// The core, compiled for the browser: covers are evaluated and edited here by
// the very code that the server and a delivery run.
import type {
  Command,
  Copied,
  Cover,
  Document,
  Ease,
  Knot,
  Lane,
  Mattes,
  Outline,
  Placement,
  Point,
  Poses,
  Span,
  Style,
  Track,
  Treatment,
} from './api';

type CoverStyle = Style['style'];

/** A cover at a frame, as it is drawn when it is not in hand. */
export interface Glance {
  id: string;
  inside: boolean;
  path: string;
}

/** The cover in hand at a frame, with everything that can be changed. */
export interface Hand {
  id: string;
  inside: boolean;
  carry: number[]; // where it was drawn to the frame, by its track: a map, row by row
  back: number[]; // and the other way
  home: Point; // the centre before it is carried
  placement: Placement;
  centre: Point;
  size: Point; // of the box around the outlines before turning
  outlines: { id: string; shape: Outline['shape']; path: string; knots: Knot[] }[];
  lanes: Lane[];
  keyed: string[]; // lanes with a key at the frame
  values: Record<string, number>; // by lane
}

/** What the louvre shows of a cover. */
export interface Slat {
  id: string;
  keys: number[];
  lanes: Lane[];
  outside: number; // keys outside the span
  first: number; // frame of the first letter
  states: string; // of its track: a anchor, g good, w weak, l lost, o outside, - not followed
  anchors: number[];
  sure: number[]; // confidence, 0 to 1, likewise
  begin: number; // of a holdout found in the picture: the frame of the first share
  shares: number[]; // of the surface, that it holds out
}

/** A followed surface on a frame. */
export interface Surface {
  path: string;
  corners: [Point, Point, Point, Point]; // of the box around it
  outline: Point[]; // its own, or the points
  state: string;
  confidence: number;
}

/** One thing of a treatment that can be set (core/cover). */
export interface Setting {
  name: string;
  title: string;
  sort: 'number' | 'choice' | 'switch' | 'colour' | 'graphic';
  unit?: string;
  least: number;
  most: number;
  slider?: Point;
  times?: number; // shown so much larger than it is stored
  digits: number;
  choices?: [string, string][];
  unless?: string; // while that switch is on it does nothing
}

/** A label at a frame: around what it is, and what it says. */
export interface LiveLabel {
  text: string;
  size: number;
  colour: string;
  box: { min: Point; max: Point };
  ring: boolean;
}

/** A kind of treatment. */
export interface Description {
  kind: string;
  title: string;
  settings: Setting[];
}

let kinds: Description[] | undefined;

/** Takes a point through a map. */
export function carry(m: number[], p: Point): Point {
  const w = m[6]! * p.x + m[7]! * p.y + m[8]!;
  return { x: (m[0]! * p.x + m[1]! * p.y + m[2]!) / w, y: (m[3]! * p.x + m[4]! * p.y + m[5]!) / w };
}

declare global {
  const Go: new () => { importObject: WebAssembly.Imports; run(i: WebAssembly.Instance): Promise<void> };
  // eslint-disable-next-line no-var
  var celatorCore: Record<string, (...a: (string | number)[]) => string>;
}

let ready: Promise<void> | undefined;

/** Loads the core once. */
export function loadCore(): Promise<void> {
  ready ??= (async () => {
    const go = new Go();
    const { instance } = await WebAssembly.instantiateStreaming(fetch('/core.wasm'), go.importObject);
    void go.run(instance);
  })();
  return ready;
}

function call<T>(name: string, ...args: (string | number)[]): T {
  const r = JSON.parse(celatorCore[name]!(...args)) as { error?: string; value: T };
  if (r.error) {
    const t = r.error.replace(/^(edit|document|timecode): /, '');
    throw new Error(t.charAt(0).toUpperCase() + t.slice(1) + '.');
  }
  return r.value;
}

export const core = {
  /** Makes a document the one on the bench; a draft is dropped. */
  load: (d: Document) => call<void>('load', JSON.stringify(d)),
  /** Makes the saved document with these commands the draft, and names the change. */
  apply: (c: Command[]) => call<string>('apply', JSON.stringify(c)),
  /** Makes the draft the saved document, for the next commands to build on. */
  keep: () => call<void>('keep'),
  /** Whether no cover that the commands name differs between two documents. */
  untouched: (base: Document, head: Document, c: Command[]) =>
    call<boolean>('untouched', JSON.stringify(base), JSON.stringify(head), JSON.stringify(c)),
  /** The draft, or the saved document where there is none; and one cover of it. */
  document: () => call<Document>('document'),
  /** Makes an attempt's poses known. */
  poses: (attempt: string, p: Poses) => call<void>('poses', attempt, JSON.stringify(p)),
  /** Makes a run's mattes known, without their pictures. */
  mattes: (run: string, m: Mattes) => call<void>('mattes', run, JSON.stringify(m)),
  /** A track's surface as an attempt has it on a frame; and a cover's outline if it rode there as it lies at frame at. */
  surface: (t: Track, attempt: string, f: number) => call<Surface>('surface', JSON.stringify(t), attempt, f),
  /** The frames that an anchor at a frame decides. */
  stretch: (t: Track, f: number, span: Span) => call<Span>('stretch', JSON.stringify(t), f, JSON.stringify(span)),
  ghost: (t: Track, attempt: string, f: number, cover: string, at: number) =>
    call<string>('ghost', JSON.stringify(t), attempt, f, cover, at),
  /** Where the map that takes four corners to others takes four more. */
  mapped: (from: Point[], to: Point[], pts: Point[]) =>
    call<[Point, Point, Point, Point]>('mapped', JSON.stringify(from), JSON.stringify(to), JSON.stringify(pts)),
  /** A cover's outlines on a frame, moved as the four corners of its surface are. */
  warp: (id: string, f: number, from: Point[], to: Point[]) =>
    call<{ id: string; knots: Knot[] }[]>('warp', id, f, JSON.stringify(from), JSON.stringify(to)),
  /** Open formats out and in (docs/formats.md). */
  trackOut: (id: string, as: 'csv' | 'json') => call<string>('trackOut', id, as),
  trackIn: (text: string) => call<Track>('trackIn', text),
  outlineOut: (id: string, f: number) => call<string>('outlineOut', id, f),
  outlineIn: (text: string) => call<Knot[][]>('outlineIn', text),
  keysOut: (id: string) => call<string>('keysOut', id),
  keysIn: (text: string) => call<(Placement & { frame: number; ease?: Ease })[]>('keysIn', text),
  coverIn: (text: string) => call<Cover>('coverIn', text),
  coverOut: (id: string) => call<string>('coverOut', id),
  cover: (id: string) => call<Cover>('cover', id),
  /** All its covers at a frame; the one in hand; what their keys are. */
  at: (f: number) => call<Glance[]>('at', f),
  hand: (id: string, f: number) => call<Hand>('hand', id, f),
  slats: () => call<Slat[]>('slats'),
  /** The cover's centre at every frame of its span. */
  course: (id: string) => call<Point[]>('course', id),
  copy: (id: string, frames: number[]) => call<Copied[]>('copy', id, JSON.stringify(frames)),
  /** The place of the cover's outlines nearest to a point. */
  nearest: (id: string, f: number, p: Point) =>
    call<{ id: string; segment: number; at: number; distance: number }>('nearest', id, f, p.x, p.y),
  /** Names everything that decides the cover's pixels at a frame. */
  digest: (id: string, f: number) => call<string>('digest', id, f),
  /** Of what was looked at (cover, frame, digest), the frames unchanged since, by cover. */
  looked: (l: Record<string, Record<string, string>>) => call<Record<string, number[]>>('looked', JSON.stringify(l)),
  clock: (num: number, den: number, start: string, first: number) => call<void>('clock', num, den, start, first),
  timecode: (f: number) => call<string>('timecode', f),
  /** The frame that a person means who types s while frame now is shown. */
  frameOf: (s: string, now: number) => call<number>('frameOf', s, now),
  treatment: (id: string, kind: string) => call<Treatment>('treatment', id, kind),
  /** The labels of review copies at a frame. */
  labels: (f: number) => call<LiveLabel[] | null>('labels', f) ?? [],
  /** The treatments there are; they do not change. */
  kinds: () => (kinds ??= call<Description[]>('kinds')),
  /** What of a cover a house style holds; and whether two look alike. */
  style: (id: string) => call<CoverStyle>('style', id),
  same: (a: CoverStyle, b: CoverStyle) => call<boolean>('same', JSON.stringify(a), JSON.stringify(b)),
  outline: (id: string, shape: string, frame: number, x0: number, y0: number, x1: number, y1: number) =>
    call<Outline>('outline', id, shape, frame, x0, y0, x1, y1),
  /** A path as SVG path data, with its bounds, and as a polygon within half a pixel of it. */
  path: (knots: Knot[]) => call<{ path: string; min: Point; max: Point; flat: Point[] }>('path', JSON.stringify(knots)),
};
