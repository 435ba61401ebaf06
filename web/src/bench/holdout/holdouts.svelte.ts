// The step Hold out: holdouts drawn by hand and led through the four frames of a
// crossing, and holdouts proposed from the picture, looked at, painted on and accepted.
// The selected holdout takes the cover's place on the bench.
import { api, ask, type Attempt, type Cover, type Knot, type Point, type Span } from '../../api/api';
import { core } from '../../core/core';
import { ended, type Attempts } from '../attempts.svelte';
import type { Shape } from '../drawing.svelte';
import type { Notice } from '../notice.svelte';
import type { Playhead } from '../playhead.svelte';
import type { Selection } from '../selection.svelte';
import type { EditingSession } from '../session.svelte';
import type { Steps } from '../steps.svelte';
import type { Toolbox } from '../toolbox.svelte';

/** The frames of a crossing, in order, and what is to do on each. */
export const crossing = [
  ['First touches', 'Go to the frame where it first touches the cover, and draw it there.'],
  ['Covers it', 'Go to where it covers most, drag the holdout there, and mark it.'],
  ['Lets go', 'Go to where its back edge arrives, drag the holdout there, and mark it.'],
  ['Gone', 'Go to the last frame in which it touches the cover, drag it there, and mark it.'],
] as const;

export class Holdouts {
  sensitivity = $state(0.5);
  edge = $state(5);
  least = $state(60);
  // The brush.
  adds = $state(true);
  radius = $state(12);
  along = $state(false); // it holds on the whole stretch, carried along
  stroke = $state.raw<Point[]>([]);

  constructor(
    private session: EditingSession,
    private playhead: Playhead,
    private selection: Selection,
    private steps: Steps,
    private toolbox: Toolbox,
    private attempts: Attempts,
    private notice: Notice,
  ) {
    toolbox.on('holdout', (shape, knots) => this.drawn(shape, knots));
    attempts.listen((a, before) => {
      if (a.foreground && before && !ended(before) && a.state === 'failed') notice.say(a.note);
    });
  }

  /** Another item is selected. */
  reset(): void {
    this.stroke = [];
  }

  /** The runs that look for the foreground. */
  get runs(): Attempt[] {
    return this.attempts.all.filter((a) => a.foreground);
  }
  get running(): Attempt | undefined {
    return this.runs.find((a) => !ended(a));
  }
  /** What is drawn next is a holdout. */
  get drawing(): boolean {
    return this.toolbox.purpose === 'holdout' && this.toolbox.tool !== 'move';
  }
  /** The selected holdout where it was drawn: it has an outline and keys, as a cover has. */
  get outlined(): Cover | undefined {
    const h = this.selection.holdout;
    return h?.proposed ? undefined : h;
  }
  /** The selected holdout where it was found in the picture. */
  get proposed(): Cover | undefined {
    const h = this.selection.holdout;
    return h?.proposed ? h : undefined;
  }

  select(id: string): void {
    this.toolbox.leave();
    this.selection.holdoutId = id;
    this.stroke = [];
    this.toolbox.tool = 'move';
    this.selection.clear();
    this.steps.current = 'hold';
    const p = this.selection.holdout?.proposed;
    if (p) [this.sensitivity, this.edge, this.least] = [p.sensitivity, p.edge, p.least];
  }
  close(): void {
    this.selection.holdoutId = '';
    this.stroke = [];
    if (this.drawing) this.toolbox.purpose = 'cover';
  }

  /** Takes up a shape to draw what crosses. */
  draw(shape: Shape): void {
    if (!this.selection.target) return;
    this.steps.current = 'hold';
    this.selection.holdoutId = '';
    this.toolbox.take(shape, 'holdout');
  }

  /** What was drawn becomes a holdout that begins on this frame. */
  private drawn(shape: Shape, knots: Knot[]): void {
    const target = this.selection.target!;
    const frame = this.playhead.whole;
    const box = core.path({ knots }).bounds;
    const outline = core.outline({ id: 'o1', shape, frame, box });
    if (shape === 'corners' || shape === 'path') outline.keys[0]!.knots = knots;
    const n = this.selection.holdouts.length;
    const id = crypto.randomUUID();
    const hold: Cover = {
      id,
      name: n ? `In front ${n + 1}` : 'In front',
      span: { first: frame, last: Math.max(target.span.last, frame) },
      outlines: [outline],
      motion: { pivot: { x: (box.min.x + box.max.x) / 2, y: (box.min.y + box.max.y) / 2 }, keys: [] },
      grow: 0,
      soften: { across: 2, down: 2 },
      treatments: [],
      holdsOut: [target.id],
    };
    this.toolbox.tool = 'move';
    void this.session.save([
      { do: 'add', new: hold },
      { do: 'mark', cover: id, index: 0, frame },
    ]);
    this.select(id);
  }

  /** The next frame of the crossing that is not marked. */
  get next(): number {
    const c = this.selection.holdout?.crossing;
    return c ? c.findIndex((f) => f < 0) : 0;
  }
  mark(i: number): void {
    const h = this.selection.holdout;
    if (h) void this.session.save([{ do: 'mark', cover: h.id, index: i, frame: this.playhead.whole }]);
  }
  /** Lets it hold out, or not. */
  turn(on: boolean): void {
    const h = this.selection.holdout;
    if (h) void this.session.save([{ do: 'switch', cover: h.id, on }]);
  }
  remove(): void {
    const h = this.selection.holdout;
    if (!h) return;
    this.selection.holdoutId = '';
    void this.session.save([{ do: 'remove', cover: h.id }]);
  }
  passesBefore(all: boolean): void {
    const h = this.selection.holdout;
    if (h) void this.session.save([{ do: 'holds', cover: h.id, for: all ? ['*'] : [this.selection.target!.id] }]);
  }

  // ---- Proposed ----------------------------------------------------------

  /** The track whose surface tells what is in front: the one that the cover rides on. */
  get surface(): string {
    return this.selection.target?.track ?? '';
  }

  /** Looks for what passes in front, over the cover's span. */
  async propose(span?: Span): Promise<void> {
    const t = this.selection.target;
    if (!t || !this.surface || this.running) return;
    const old = this.proposed ?? this.selection.holdouts.find((c) => c.proposed);
    const { first, last } = span ?? t.span;
    const cover = old?.id ?? crypto.randomUUID();
    try {
      const a = await ask(
        api.POST('/api/shots/{id}/foreground-runs', {
          params: { path: { id: this.session.shot } },
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
      this.attempts.put(a);
      this.selection.holdoutId = cover; // shown as soon as it is there
    } catch (e) {
      this.notice.say(e);
    }
  }
  async stop(): Promise<void> {
    if (this.running) await this.attempts.stop(this.running.id);
  }

  /** How many stretches of what was found are not accepted. */
  waiting(c: Cover): number {
    const taken = (s: Span) => c.proposed!.accepted.some((a) => a.first <= s.first && s.last <= a.last);
    return this.stretches(c).filter((s) => !taken(s)).length;
  }

  /** The stretches in which something was found, with gaps of a few frames closed. */
  stretches = (c: Cover): Span[] => {
    const row = this.session.rows.get(c.id);
    const out: Span[] = [];
    row?.shares.forEach((s, i) => {
      const f = row.begin + i;
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
    return all.find((s) => this.playhead.whole <= s.last) ?? all.at(-1);
  }
  accepted(f: number): boolean {
    return this.proposed?.proposed?.accepted.some((s) => s.first <= f && f <= s.last) ?? false;
  }
  accept(span: Span, on: boolean): void {
    if (this.proposed) void this.session.save([{ do: 'accept', cover: this.proposed.id, span, on }]);
  }
  /** Takes the stretch here, or takes it back. */
  toggle(): void {
    const s = this.here;
    if (s) this.accept(s, !this.accepted(Math.min(Math.max(this.playhead.whole, s.first), s.last)));
  }

  /** What was painted becomes a stroke of the holdout. */
  paint(points: Point[]): void {
    const c = this.proposed;
    this.stroke = [];
    if (!c || !points.length) return;
    const f = this.playhead.frame;
    const here = this.here;
    const span =
      this.along && here && here.first <= Math.floor(f) && Math.floor(f) <= here.last
        ? here
        : { first: Math.floor(f), last: Math.floor(f) };
    void this.session.save([
      {
        do: 'paint',
        cover: c.id,
        stroke: { frame: f, span, add: this.adds, radius: this.radius, points: thin(points, this.radius / 4) },
      },
    ]);
  }
  brush(adds: boolean): void {
    if (!this.proposed) return;
    if (this.toolbox.tool === 'brush' && this.adds === adds) this.toolbox.tool = 'move';
    else {
      this.toolbox.take('brush');
      this.adds = adds;
    }
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
