// Following on the bench: the surface, the runs of the tracker, what they found and
// how it is put right. The document takes a run's poses when it has ended; until
// then they are only shown.
import { api, ask, type Attempt, type Command, type Cover, type Point, type Texture, type Track } from './api';
import { core, type Surface } from './core';
import type { Bench } from './bench.svelte';

export type Model = 'translation' | 'similarity' | 'affine' | 'perspective';
export type Channel = 'luma' | 'red' | 'green' | 'blue' | 'best';
export type Way = 'back' | 'forward' | 'both' | 'one back' | 'one on' | 'to mark back' | 'to mark on';

const ended = (a: Attempt) => a.state === 'done' || a.state === 'stopped' || a.state === 'failed';

/** The four corners that a surface is put right by: its own, or those of the box around it. */
const quad = (s: Surface): Point[] => (s.outline.length === 4 ? s.outline : s.corners);

export class Following {
  attempts = $state.raw<Attempt[]>([]);
  model = $state<Model>('perspective');
  channel = $state<Channel>('luma');
  /** The surface drawn apart from the cover, on the frame where it was drawn. */
  apart = $state.raw<{ frame: number; surface: Point[]; points: boolean }>();
  texture = $state.raw<Texture & { at: string }>();
  /** The corners being put right on a frame. */
  mending = $state.raw<{ frame: number; corners: Point[]; was: Surface }>();
  shown = $state(true); // the surface and points on the picture
  /** The states of a run that has not ended, a letter for each frame. */
  live = $state.raw<{ track: string; first: number; states: string; sure: number[] }>();
  private posed = $state(0); // raised when the core knows more poses
  private known = new Map<string, string>(); // attempts the core knows, as of done/state

  constructor(private b: Bench) {}

  async open(): Promise<void> {
    const all = await ask(api.GET('/api/shots/{id}/attempts', { params: { path: { id: this.b.shot!.id } } }));
    this.attempts = all.filter((a) => !a.front);
    for (const a of all) {
      if (ended(a)) this.over.add(a.id);
      if (a.front) this.b.holds.heard(a);
    }
  }

  /** Makes sure that the core has the poses and mattes a document points at. */
  async learn(d: { tracks?: Track[]; covers?: Cover[] }): Promise<void> {
    const missing = (d.tracks ?? [])
      .map((t) => t.attempt)
      .filter((a): a is string => !!a && this.known.get(a) !== 'ended');
    missing.push(...this.b.holds.missing(d.covers ?? []));
    await Promise.all([...new Set(missing)].map((a) => this.fetch(a)));
  }

  private async fetch(id: string): Promise<Attempt> {
    const a = await ask(api.GET('/api/attempts/{id}', { params: { path: { id } } }));
    if (a.poses) {
      core.poses(id, a.poses);
      this.posed++;
    }
    if (a.mattes) this.b.holds.learn(a);
    this.known.set(id, ended(a) ? 'ended' : 'running');
    return a;
  }

  private over = new Set<string>(); // attempts shown as ended
  private elsewhere = new Set<string>(); // attempts of other shots
  private asking = new Map<string, boolean>(); // attempt -> asked for again meanwhile
  /** Something is new of an attempt. */
  async heard(id: string): Promise<void> {
    if (this.elsewhere.has(id)) return;
    if (this.asking.has(id)) {
      this.asking.set(id, true);
      return;
    }
    this.asking.set(id, false);
    try {
      const a = await this.fetch(id);
      if (a.shot !== this.b.shot!.id) this.elsewhere.add(id);
      else {
        // The document has what was found before the run is shown as ended.
        if (ended(a) && !this.over.has(id)) await this.b.refresh();
        if (ended(a)) this.over.add(id);
        if (a.front) this.b.holds.heard(a);
        else this.put(a);
      }
    } finally {
      const again = this.asking.get(id);
      this.asking.delete(id);
      if (again) void this.heard(id);
    }
  }

  private put(a: Attempt): void {
    const { poses, ...rest } = a;
    if (poses && !ended(a) && !a.compare)
      this.live = { track: a.track.id, first: poses.first, states: poses.states, sure: poses.confidence };
    else if (ended(a) && !a.compare && this.live?.track === a.track.id) this.live = undefined;
    const old = this.attempts.find((x) => x.id === a.id);
    this.attempts = old ? this.attempts.map((x) => (x.id === a.id ? rest : x)) : [rest, ...this.attempts];
    const mine = a.id === this.awaited || (this.track && a.track.id === this.track.id);
    if (old && !ended(old) && ended(a) && mine && a.note) this.b.say(a.note);
    this.watch(a);
  }

  private watched: number | undefined; // the frame that a run brought the bench to
  /** The picture goes along with the run, until the editor goes elsewhere. */
  private watch(a: Attempt): void {
    if (a.id !== this.awaited || this.watched === undefined) return;
    if (this.b.frame !== this.watched) this.watched = undefined;
    else if (ended(a)) {
      if (a.done > 0) this.b.seek(a.from < this.start && this.start < a.to ? this.start : a.at); // back, where both ways were gone
      this.watched = undefined;
    } else if (a.done > 0) this.b.seek((this.watched = a.at));
  }

  /** The track that carries the cover in hand. */
  get track(): Track | undefined {
    const id = this.b.cover?.track;
    return id ? this.b.document?.tracks?.find((t) => t.id === id) : undefined;
  }

  private awaited = $state('');
  /** The run that the editor watches: of the track in hand, or of one that it will ride on. */
  get running(): Attempt | undefined {
    return this.attempts.find(
      (a) => !ended(a) && !a.compare && (a.id === this.awaited || a.track.id === this.track?.id),
    );
  }

  /** The track whose surface is shown, with the attempt it is shown from. */
  private get source(): { track: Track; attempt: string } | undefined {
    const r = this.running;
    if (r && r.done > 0) return { track: r.track, attempt: r.id };
    const t = this.track;
    return t?.attempt ? { track: t, attempt: t.attempt } : undefined;
  }

  /** The attempt that the steady strip is made of, with what changes its pictures. */
  get striped(): { attempt: string; states: string; first: number } | undefined {
    const s = this.source;
    const c = this.b.cover;
    const known = s && c && this.states(c);
    return s && known ? { attempt: s.attempt, states: known.states, first: known.first } : undefined;
  }

  /** The followed surface at the frame shown. */
  surface = $derived.by<Surface | undefined>(() => {
    void this.posed;
    const s = this.source;
    return s && core.surface(s.track, s.attempt, this.b.frame);
  });

  /** Where the cover in hand will lie, while the tracker still runs. */
  ghost = $derived.by<string>(() => {
    void this.posed;
    const r = this.running;
    const c = this.b.cover;
    if (!r || r.done === 0 || !c) return '';
    return core.ghost(r.track, r.id, this.b.frame, c.id, c.track === r.track.id ? (c.from ?? 0) : r.track.frame);
  });
  private start = $state(0); // the frame a run was begun on

  /** Attempts of the track in hand that can be used, the steadiest first. */
  get ranked(): Attempt[] {
    const id = this.track?.id ?? this.running?.track.id;
    return this.attempts
      .filter((a) => a.track.id === id && ended(a) && a.state !== 'failed')
      .toSorted((x, y) => (y.figures?.rank ?? 0) - (x.figures?.rank ?? 0));
  }

  /** How many others are still being run in the background. */
  get pending(): number {
    return this.attempts.filter((a) => a.compare && !ended(a) && a.track.id === this.track?.id).length;
  }

  /** The surface that would be followed from this frame: drawn apart, or the cover's outline. */
  get proposed(): { frame: number; surface: Point[]; points: boolean } | undefined {
    if (this.apart) return this.apart;
    const h = this.b.held;
    const o = h?.inside ? h.outlines[0] : undefined;
    if (!o) return undefined;
    return { frame: this.b.here, surface: core.path(o.knots).flat, points: false };
  }

  /** Measures how well the proposed surface can be followed. */
  async assess(): Promise<void> {
    const p = this.proposed;
    if (!p || p.points || p.surface.length < 3) {
      this.texture = undefined;
      return;
    }
    const at = JSON.stringify(p) + this.model;
    if (this.texture?.at === at) return;
    try {
      const t = await ask(
        api.POST('/api/shots/{id}/assess', {
          params: { path: { id: this.b.shot!.id } },
          body: { frame: p.frame, surface: p.surface, model: this.model },
        }),
      );
      this.texture = { ...t, at };
    } catch (e) {
      this.texture = { words: e instanceof Error ? e.message : String(e), share: 0, spread: 0, enough: false, at };
    }
  }

  takeLarger(): void {
    const p = this.proposed;
    if (p && this.texture?.larger) this.apart = { frame: p.frame, surface: this.texture.larger, points: false };
  }

  /** The marks that a stretch ends at: anchors and keys. */
  private get marks(): number[] {
    const t = this.track;
    return [...(t ? [t.frame, ...t.anchors.map((a) => a.frame)] : []), ...this.b.keys];
  }

  private frames(way: Way, at: number): [number, number] {
    const c = this.b.cover!;
    const first = Math.min(c.span.first, at);
    const last = Math.max(c.span.last, at);
    const before = Math.max(first, ...this.marks.filter((m) => m < at));
    const after = Math.min(last, ...this.marks.filter((m) => m > at));
    return {
      back: [first, at - 1],
      forward: [at + 1, last],
      both: [first, last],
      'one back': [at - 1, at - 1],
      'one on': [at + 1, at + 1],
      'to mark back': [before, at - 1],
      'to mark on': [at + 1, after],
    }[way] as [number, number];
  }

  /** Follows: a new surface from this frame, or the track in hand on from here. */
  async follow(way: Way): Promise<void> {
    const b = this.b;
    const c = b.cover;
    b.play(0);
    if (!c) return;
    if (this.running) {
      b.say('The tracker runs already; stop it first.');
      return;
    }
    const t = this.track;
    const at = b.frame;
    if (t) {
      const [from, to] = this.frames(way, at);
      if (from < 0 || to > b.last || from > to) return;
      await this.run(t, from, to, t.attempt ?? '');
      return;
    }
    const p = this.proposed;
    if (!p) {
      b.say('Draw an outline first, or go to a frame inside the span.');
      return;
    }
    const fresh: Track = {
      id: crypto.randomUUID(),
      name: this.name(c.name),
      kind: p.points ? 'points' : 'surface',
      model: this.model,
      channel: this.channel,
      frame: p.frame,
      surface: p.surface,
      anchors: [],
    };
    let [from, to] = this.frames(way, p.frame);
    from = Math.min(from, p.frame);
    to = Math.max(to, p.frame);
    await this.run(fresh, Math.max(from, 0), Math.min(to, b.last), '', { ride: c.id, at: p.frame });
  }

  private name(cover: string): string {
    const taken = new Set(this.b.document?.tracks?.map((t) => t.name));
    if (!taken.has(cover)) return cover;
    for (let i = 2; ; i++) if (!taken.has(`${cover} ${i}`)) return `${cover} ${i}`;
  }

  private async run(
    track: Track,
    from: number,
    to: number,
    base: string,
    more: { ride?: string; at?: number; take?: boolean; compare?: boolean } = {},
  ): Promise<void> {
    this.b.error = '';
    try {
      const { attempt: _a, poses: _p, ...plain } = track;
      const a = await ask(
        api.POST('/api/shots/{id}/attempts', {
          params: { path: { id: this.b.shot!.id } },
          body: { track: plain, from, to, base, take: true, ...more },
        }),
      );
      if (!more.compare) {
        this.awaited = a.id;
        this.start = this.watched = this.b.frame;
      }
      this.put(a);
      void this.heard(a.id);
    } catch (e) {
      this.b.say(e);
    }
  }

  async stop(): Promise<void> {
    const r = this.running;
    if (r)
      await ask(api.POST('/api/attempts/{id}/stop', { params: { path: { id: r.id } } })).catch((e) => this.b.say(e));
  }

  /** What the slat of a cover shows of its track: the document's, or that of a run. */
  states(cover: Cover): { first: number; states: string; anchors: number[]; sure: number[] } | undefined {
    const slat = this.b.slats.get(cover.id);
    const live = this.live;
    if (
      live &&
      (live.track === cover.track || (live.track === this.running?.track.id && cover.id === this.b.cover?.id))
    )
      return { ...live, anchors: slat?.anchors ?? [] };
    return slat?.states ? slat : undefined;
  }

  /** Whether a frame of the cover's span is not surely followed. */
  doubts(c: Cover): boolean {
    const s = this.states(c);
    for (let f = c.span.first; s && f <= c.span.last; f++)
      if ('wl-'.includes(s.states[f - s.first] ?? '-')) return true;
    return false;
  }

  /** Goes to the next stretch where the track is weak or lost. */
  doubtful(way: 1 | -1): void {
    const c = this.b.cover;
    const s = c && this.states(c);
    if (!c || !s) return;
    const bad = (f: number) => 'wl-'.includes(s.states[f - s.first] ?? '-');
    const n = c.span.last - c.span.first + 1;
    for (let i = 1; i <= n; i++) {
      const f = c.span.first + ((((this.b.frame - c.span.first + way * i) % n) + n) % n);
      if (bad(f) && (f === c.span.first || !bad(f - 1))) return this.b.seek(f);
    }
    this.b.say('Every frame of the span is surely followed.');
  }

  // ---- Putting right ------------------------------------------------------

  /** Offers the surface's corners on this frame to be dragged. */
  mend(): void {
    const s = this.surface;
    this.b.play(0);
    if (s && this.track?.kind === 'surface') this.mending = { frame: this.b.frame, corners: quad(s), was: s };
  }

  /**
   * The surface lies as it was put right: an anchor there, and the stretches on both
   * its sides, as far as the next anchors, are followed anew.
   */
  async anchor(): Promise<void> {
    const m = this.mending;
    const t = this.track;
    this.mending = undefined;
    if (!m || !t) return;
    if (m.frame === t.frame) {
      this.b.say(
        'This is the frame where the surface was drawn; draw it anew instead, or put it right on another frame.',
      );
      return;
    }
    let corners;
    try {
      corners = core.mapped(quad(m.was), m.corners, m.was.corners);
    } catch {
      this.b.say('Those four corners are no view of a flat surface; put them right again.');
      return;
    }
    const anchors = [...t.anchors.filter((a) => a.frame !== m.frame), { frame: m.frame, corners }].sort(
      (a, b) => a.frame - b.frame,
    );
    await this.again({ ...t, anchors }, m.frame);
  }

  /** Follows anew between the anchors around a frame. */
  private async again(t: Track, f: number): Promise<void> {
    const c = this.b.cover!;
    const { first, last } = core.stretch(t, f, c.span);
    await this.run(t, first, last, t.attempt ?? '');
  }

  async removeAnchor(f: number): Promise<void> {
    const t = this.track;
    if (t) await this.again({ ...t, anchors: t.anchors.filter((a) => a.frame !== f) }, f);
  }

  /** Only the cover moves, by as much as the surface's corners were moved; the track stays. */
  correct(): void {
    const m = this.mending;
    const c = this.b.cover;
    this.mending = undefined;
    if (!m || !c) return;
    try {
      const commands = core
        .warp(c.id, m.frame, quad(m.was), m.corners)
        .map((o): Command => ({
          do: 'reshape',
          cover: c.id,
          id: o.id,
          frame: m.frame,
          scope: 'frame',
          knots: o.knots,
        }));
      void this.b.save(commands);
    } catch {
      this.b.say('Those four corners are no view of a flat surface; put them right again.');
    }
  }

  // ---- Attempts -------------------------------------------------------------

  /** Runs others in the background: from other frames and with other models. */
  async others(): Promise<void> {
    const t = this.track;
    const c = this.b.cover;
    if (!t?.attempt || !c || t.kind !== 'surface') return;
    const span: [number, number] = [Math.min(c.span.first, t.frame), Math.max(c.span.last, t.frame)];
    const slat = this.b.slats.get(c.id);
    const good = (f: number) => slat?.states[f - slat.first] === 'g';
    const starts = [0.2, 0.8]
      .map((k) => Math.round(span[0] + k * (span[1] - span[0])))
      .filter((f) => good(f) && Math.abs(f - t.frame) > 5);
    // The one in use too, to be compared by the same figures.
    const wanted: Track[] = (['similarity', 'affine', 'perspective'] as const).map((model) => ({ ...t, model }));
    for (const f of starts) {
      const s = core.surface(t, t.attempt, f);
      wanted.push({ ...t, frame: f, surface: s.outline, anchors: [] });
    }
    const same = (a: Track, w: Track) =>
      JSON.stringify([a.frame, a.model, a.channel, a.surface, a.anchors]) ===
      JSON.stringify([w.frame, w.model, w.channel, w.surface, w.anchors]);
    const fresh = wanted.filter(
      (w) =>
        !this.attempts.some(
          (a) => a.compare && a.state !== 'failed' && a.from === span[0] && a.to === span[1] && same(a.track, w),
        ),
    );
    if (!fresh.length) this.b.say('All of these have been tried; the list has their figures.');
    for (const w of fresh) await this.run(w, span[0], span[1], '', { take: false, compare: true });
  }

  use(a: Attempt): void {
    const { poses: _, ...t } = a.track;
    void this.learn({ tracks: [{ ...t, attempt: a.id }] }).then(() =>
      this.b.save([{ do: 'track', track: { ...t, name: this.track?.name ?? t.name, attempt: a.id } }]),
    );
  }

  /** Reads a track of a file; the cover in hand rides on it as it lies here. */
  async give(text: string, name: string): Promise<void> {
    const c = this.b.cover;
    const track = { ...core.trackIn(text), id: crypto.randomUUID(), name };
    const a = await ask(api.POST('/api/shots/{id}/given', { params: { path: { id: this.b.shot!.id } }, body: track }));
    this.put(a);
    const { poses: _, ...t } = { ...track, attempt: a.id };
    await this.learn({ tracks: [t] });
    await this.b.save([
      { do: 'track', track: t },
      ...(c ? [{ do: 'ride' as const, cover: c.id, id: t.id, frame: this.b.frame }] : []),
    ]);
  }

  // ---- Sharing ----------------------------------------------------------------

  rideOn(t: Track): void {
    const c = this.b.cover;
    if (c) void this.b.save([{ do: 'ride', cover: c.id, id: t.id, frame: this.b.frame }]);
  }

  byHand(tolerance: number): void {
    const c = this.b.cover;
    const t = this.track;
    if (!c || !t) return;
    const alone = this.b.document!.covers.filter((x) => x.track === t.id).length === 1;
    void this.b.save([
      { do: 'byHand', cover: c.id, number: tolerance },
      ...(alone ? [{ do: 'untrack' as const, id: t.id }] : []),
    ]);
  }
}
