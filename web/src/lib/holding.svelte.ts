// Holding out what passes in front: holdouts drawn by hand and led through the four
// frames of a crossing, and holdouts proposed from the picture, looked at, painted on
// and accepted. The holdout in hand takes the cover's place on the bench.
import { api, ask, type Attempt, type Cover, type Knot, type Point, type Span } from './api';
import { core } from './core';
import type { Bench } from './bench.svelte';
import type { Shape } from './drawing.svelte';

const ended = (a: Attempt) => a.state === 'done' || a.state === 'stopped' || a.state === 'failed';

/** The frames of a crossing, in order, and what is to do on each. */
export const crossing = [
  ['First touches', 'Go to the frame where it first touches the cover, and draw it there.'],
  ['Covers it', 'Go to where it covers most, drag the holdout there, and mark it.'],
  ['Lets go', 'Go to where its back edge arrives, drag the holdout there, and mark it.'],
  ['Gone', 'Go to the last frame in which it touches the cover, drag it there, and mark it.'],
] as const;

export class Holding {
  /** The holdout in hand, or none. */
  hand = $state('');
  /** What is drawn next is a holdout. */
  drawing = $state(false);
  runs = $state.raw<Attempt[]>([]); // those that look for the foreground
  sensitivity = $state(0.5);
  edge = $state(5);
  least = $state(60);
  // The brush.
  adds = $state(true);
  radius = $state(12);
  along = $state(false); // it holds on the whole stretch, carried along
  stroke = $state.raw<Point[]>([]);
  private known = new Set<string>();

  constructor(private b: Bench) {}

  /** The cover that is held off the foreground. */
  get target(): Cover | undefined {
    return this.b.coverOf(this.b.item);
  }
  /** The holdouts that pass before a cover. */
  of(cover: Cover | undefined): Cover[] {
    return (this.b.document?.covers ?? []).filter(
      (c) => cover && (c.holdsOut?.includes(cover.id) || c.holdsOut?.includes('*')),
    );
  }
  get all(): Cover[] {
    return this.of(this.target);
  }
  get cover(): Cover | undefined {
    return this.hand ? this.all.find((c) => c.id === this.hand) : undefined;
  }
  /** The holdout in hand where it is drawn: it has an outline and keys, as a cover has. */
  get drawn(): Cover | undefined {
    return this.cover?.proposed ? undefined : this.cover;
  }
  /** The holdout in hand where it was found in the picture. */
  get proposed(): Cover | undefined {
    return this.cover?.proposed ? this.cover : undefined;
  }

  take(id: string): void {
    this.b.leave();
    this.hand = id;
    this.drawing = false;
    this.stroke = [];
    this.b.tool = 'move';
    this.b.picked = { outline: '', knots: [] };
    this.b.pins = [];
    this.b.step = 'hold';
    const p = this.cover?.proposed;
    if (p) [this.sensitivity, this.edge, this.least] = [p.sensitivity, p.edge, p.least];
  }

  /** Takes up a shape to draw what crosses. */
  draw(shape: Shape): void {
    if (!this.target) return;
    this.b.step = 'hold';
    this.hand = '';
    this.b.takeUp(shape);
    this.drawing = true;
  }

  /** What was drawn becomes a holdout that begins on this frame. */
  finish(shape: Shape, knots: Knot[]): void {
    const b = this.b;
    const t = this.target!;
    const box = core.path(knots);
    const outline = core.outline('o1', shape, b.frame, box.min.x, box.min.y, box.max.x, box.max.y);
    if (shape === 'corners' || shape === 'path') outline.keys[0]!.knots = knots;
    const n = this.all.length;
    const id = crypto.randomUUID();
    const hold: Cover = {
      id,
      name: n ? `In front ${n + 1}` : 'In front',
      span: { first: b.frame, last: Math.max(t.span.last, b.frame) },
      outlines: [outline],
      motion: { pivot: { x: (box.min.x + box.max.x) / 2, y: (box.min.y + box.max.y) / 2 }, keys: [] },
      grow: 0,
      soften: { across: 2, down: 2 },
      treatments: [],
      holdsOut: [t.id],
    };
    b.tool = 'move';
    this.drawing = false;
    void b.save([
      { do: 'add', new: hold },
      { do: 'mark', cover: id, index: 0, frame: b.frame },
    ]);
    this.take(id);
  }

  /** The next frame of the crossing that is not marked. */
  get next(): number {
    const c = this.cover?.crossing;
    return c ? c.findIndex((f) => f < 0) : 0;
  }
  mark(i: number): void {
    if (this.cover) void this.b.save([{ do: 'mark', cover: this.cover.id, index: i, frame: this.b.frame }]);
  }
  /** Lets it hold out, or not. */
  turn(on: boolean): void {
    if (this.cover) void this.b.save([{ do: 'switch', cover: this.cover.id, on }]);
  }
  remove(): void {
    const c = this.cover;
    if (!c) return;
    this.hand = '';
    void this.b.save([{ do: 'remove', cover: c.id }]);
  }
  before(all: boolean): void {
    if (this.cover) void this.b.save([{ do: 'holds', cover: this.cover.id, for: all ? ['*'] : [this.target!.id] }]);
  }

  // ---- Proposed ----------------------------------------------------------

  /** Gives the core the mattes of a run. */
  learn(a: Attempt): void {
    core.mattes(a.id, a.mattes!);
    if (ended(a)) this.known.add(a.id);
    this.b.learned();
  }

  heard(a: Attempt): void {
    const { mattes, ...rest } = a;
    void mattes;
    const old = this.runs.find((x) => x.id === a.id);
    this.runs = old ? this.runs.map((x) => (x.id === a.id ? rest : x)) : [rest, ...this.runs];
    if (old && !ended(old) && a.state === 'failed') this.b.say(a.note);
    if (ended(a) && this.awaited === a.id) this.awaited = '';
  }
  private awaited = '';
  get running(): Attempt | undefined {
    return this.runs.find((a) => !ended(a));
  }
  /** The runs whose mattes the core does not have yet. */
  missing(covers: Cover[]): string[] {
    return covers.flatMap((c) => (c.proposed?.run && !this.known.has(c.proposed.run) ? [c.proposed.run] : []));
  }

  /** The track whose surface tells what is in front: the one that the cover rides on. */
  get surface(): string {
    return this.target?.track ?? '';
  }

  /** Looks for what passes in front, over the cover's span. */
  async propose(span?: Span): Promise<void> {
    const t = this.target;
    if (!t || !this.surface || this.running) return;
    const old = this.proposed ?? this.all.find((c) => c.proposed);
    const { first, last } = span ?? t.span;
    const cover = old?.id ?? crypto.randomUUID();
    try {
      const a = await ask(
        api.POST('/api/shots/{id}/fronts', {
          params: { path: { id: this.b.shot!.id } },
          body: {
            track: this.surface,
            from: first,
            to: last,
            cover,
            name: old?.name ?? 'Found in front',
            for: old?.holdsOut ?? [t.id],
            sensitivity: this.sensitivity,
            edge: this.edge,
            least: this.least,
          },
        }),
      );
      this.awaited = a.id;
      this.heard(a);
      this.hand = cover; // shown as soon as it is there
    } catch (e) {
      this.b.say(e);
    }
  }
  async stop(): Promise<void> {
    const r = this.running;
    if (r)
      await ask(api.POST('/api/attempts/{id}/stop', { params: { path: { id: r.id } } })).catch((e) => this.b.say(e));
  }

  /** The stretches in which something was found, with gaps of a few frames closed. */
  stretches = (c: Cover): Span[] => {
    const slat = this.b.slats.get(c.id);
    const out: Span[] = [];
    slat?.shares.forEach((s, i) => {
      const f = slat.begin + i;
      const last = out.at(-1);
      if (s < 0.0005 || f < c.span.first || f > c.span.last) return;
      if (last && f - last.last <= 4) last.last = f;
      else out.push({ first: f, last: f });
    });
    return out;
  };
  /** The stretch around the frame shown, or else the next one. */
  get here(): Span | undefined {
    const c = this.proposed;
    if (!c) return undefined;
    const all = this.stretches(c);
    return all.find((s) => this.b.frame <= s.last) ?? all.at(-1);
  }
  accepted(f: number): boolean {
    return this.proposed?.proposed?.accepted.some((s) => s.first <= f && f <= s.last) ?? false;
  }
  accept(span: Span, on: boolean): void {
    if (this.proposed) void this.b.save([{ do: 'accept', cover: this.proposed.id, span, on }]);
  }
  /** Takes the stretch here, or takes it back. */
  toggle(): void {
    const s = this.here;
    if (s) this.accept(s, !this.accepted(Math.min(Math.max(this.b.frame, s.first), s.last)));
  }

  /** What was painted becomes a stroke of the holdout. */
  paint(points: Point[]): void {
    const c = this.proposed;
    this.stroke = [];
    if (!c || !points.length) return;
    const f = this.b.frame;
    const here = this.here;
    const span = this.along && here && here.first <= f && f <= here.last ? here : { first: f, last: f };
    void this.b.save([
      {
        do: 'paint',
        cover: c.id,
        stroke: { frame: f, span, add: this.adds, radius: this.radius, points: thin(points, this.radius / 4) },
      },
    ]);
  }
  brush(adds: boolean): void {
    if (!this.proposed) return;
    if (this.b.tool === 'brush' && this.adds === adds) this.b.tool = 'move';
    else {
      this.b.takeUp('brush');
      this.adds = adds;
    }
  }

  close(): void {
    this.hand = '';
    this.drawing = false;
    this.stroke = [];
  }
}

/** A line's points at least so far apart. */
function thin(points: Point[], far: number): Point[] {
  const out = [points[0]!];
  for (const p of points) {
    const q = out.at(-1)!;
    if (Math.hypot(p.x - q.x, p.y - q.y) >= far) out.push(p);
  }
  return out;
}
