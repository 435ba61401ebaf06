// The step Follow: the surface, the runs of the tracker, what they found and how it is
// put right.
import {
  api,
  ask,
  type Attempt,
  type Command,
  type Cover,
  type Point,
  type SurfaceOnFrame,
  type Track,
} from '../../api/api';
import { core } from '../../core/core';
import { ended, type Attempts } from '../attempts.svelte';
import type { Keying } from '../keying.svelte';
import type { Notice } from '../notice.svelte';
import type { Playhead } from '../playhead.svelte';
import type { Selection } from '../selection.svelte';
import type { EditingSession } from '../session.svelte';
import type { Toolbox } from '../toolbox.svelte';
import { SurfaceTexture, type Proposal } from './texture.svelte';
import { framesOf, untried, usedOver, type Way } from './ways';

export type Model = 'translation' | 'similarity' | 'affine' | 'perspective' | 'cloth';
export type Channel = 'luma' | 'red' | 'green' | 'blue' | 'best';

type Quad = [Point, Point, Point, Point];

/** What a surface is put right by: its own four corners, or those of the box around it. */
const quad = (s: SurfaceOnFrame): Quad => (s.outline.length === 4 ? s.outline : s.corners) as Quad;

export class Following {
  model = $state<Model>('perspective');
  channel = $state<Channel>('luma');
  /** The surface drawn apart from the cover, on the frame where it was drawn. */
  apart = $state.raw<Proposal>();
  texture = new SurfaceTexture();
  /** The surface's corners, or the points, being put right on a frame. */
  correction = $state.raw<{ frame: number; corners: Point[]; was: SurfaceOnFrame; points: boolean }>();
  shown = $state(true); // the surface and points on the picture
  /** The states of a run that has not ended, a letter for each frame. */
  live = $state.raw<{ track: string; first: number; states: string; sure: number[] }>();

  constructor(
    private last: () => number, // frame of the shot
    private session: EditingSession,
    private playhead: Playhead,
    private selection: Selection,
    private keying: Keying,
    private attempts: Attempts,
    private notice: Notice,
    toolbox: Toolbox,
  ) {
    attempts.listen((a, before) => !a.foreground && this.heard(a, before));
    toolbox.on('surface', (_, knots) => {
      toolbox.tool = 'move';
      this.apart = { frame: this.playhead.frame, surface: knots.map((k) => k.p), points: false };
    });
  }

  /** Another item is selected. */
  reset(): void {
    this.apart = undefined;
    this.correction = undefined;
    const t = this.track;
    if (t) [this.model, this.channel] = [t.model, t.channel];
  }

  private heard(a: Attempt, before: Attempt | undefined): void {
    if (a.poses && !ended(a) && !a.compare) this.live = { track: a.track.id, ...core.followed({ attempt: a.id }) };
    else if (ended(a) && !a.compare && this.live?.track === a.track.id) this.live = undefined;
    const mine = a.id === this.awaited || (this.track && a.track.id === this.track.id);
    if (before && !ended(before) && ended(a) && mine && a.note) this.notice.say(a.note);
    this.watch(a);
  }

  private watched: number | undefined; // the frame that a run brought the bench to
  /** The picture goes along with the run, until the editor goes elsewhere. */
  private watch(a: Attempt): void {
    if (a.id !== this.awaited || this.watched === undefined) return;
    if (this.playhead.whole !== this.watched) this.watched = undefined;
    else if (ended(a)) {
      this.playhead.seek(this.start); // the editor is where they were
      this.watched = undefined;
    } else if (a.done > 0) this.playhead.seek((this.watched = a.at));
  }

  /** The runs of the tracker in this shot. */
  get runs(): Attempt[] {
    return this.attempts.all.filter((a) => !a.foreground);
  }

  /** The track that carries the selected cover. */
  get track(): Track | undefined {
    const id = this.selection.cover?.track;
    return id ? this.session.document?.tracks?.find((t) => t.id === id) : undefined;
  }

  private awaited = $state('');
  /** The run that the editor watches: of the selected track, or of one that it will ride on. */
  get running(): Attempt | undefined {
    return this.runs.find((a) => !ended(a) && !a.compare && (a.id === this.awaited || a.track.id === this.track?.id));
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
    const c = this.selection.cover;
    const known = s && c && this.states(c);
    return s && known ? { attempt: s.attempt, states: known.states, first: known.first } : undefined;
  }

  /** The followed surface at the frame shown. */
  surface = $derived.by<SurfaceOnFrame | undefined>(() => {
    void this.attempts.posed;
    const s = this.source;
    return s && core.surface({ track: s.track, attempt: s.attempt, frame: this.playhead.frame });
  });

  /** Where the selected cover will lie, while the tracker still runs. */
  ghost = $derived.by<string>(() => {
    void this.attempts.posed;
    const r = this.running;
    const c = this.selection.cover;
    if (!r || r.done === 0 || !c) return '';
    return core.ghost({
      track: r.track,
      attempt: r.id,
      frame: this.playhead.frame,
      cover: c.id,
      from: c.track === r.track.id ? (c.from ?? 0) : r.track.frame,
    });
  });
  private start = $state(0); // the frame a run was begun on

  /** Attempts of the selected track that can be used, the steadiest first. */
  get ranked(): Attempt[] {
    const id = this.track?.id ?? this.running?.track.id;
    return this.runs
      .filter((a) => a.track.id === id && ended(a) && a.state !== 'failed')
      .toSorted((x, y) => (y.figures?.rank ?? 0) - (x.figures?.rank ?? 0));
  }

  /** How many others are still being run in the background. */
  get pending(): number {
    return this.runs.filter((a) => a.compare && !ended(a) && a.track.id === this.track?.id).length;
  }

  /** The surface that would be followed from this frame: drawn apart, or the cover's outline. */
  get proposed(): Proposal | undefined {
    if (this.apart) return this.apart;
    const h = this.selection.state;
    const o = h?.inside ? h.outlines[0] : undefined;
    if (!o) return undefined;
    return { frame: this.selection.here, surface: core.path({ knots: o.knots }).polygon, points: false };
  }

  /** Measures how well the proposed surface can be followed. */
  assess(): Promise<void> {
    return this.texture.of(this.session.shot, this.proposed, this.model);
  }

  takeLarger(): void {
    const p = this.proposed;
    const larger = this.texture.known?.larger;
    if (p && larger) this.apart = { frame: p.frame, surface: larger, points: false };
  }

  /** The marks that a stretch ends at: anchors and keys. */
  private get marks(): number[] {
    const t = this.track;
    return [...(t ? [t.frame, ...t.anchors.map((a) => a.frame)] : []), ...this.keying.keys];
  }

  private frames(way: Way, at: number): [number, number] {
    return framesOf(way, at, this.selection.cover!.span, this.marks);
  }

  /** Follows: a new surface from this frame, or the selected track on from here. */
  async follow(way: Way): Promise<void> {
    const c = this.selection.cover;
    this.playhead.pause();
    if (!c) return;
    if (this.running) {
      this.notice.say('The tracker runs already; stop it first.');
      return;
    }
    const t = this.track;
    const at = this.playhead.frame;
    if (t && this.apart) {
      await this.anew();
      return;
    }
    if (t) {
      const [from, to] = this.frames(way, Math.floor(at));
      if (from < 0 || to > this.last() || from > to) return;
      await this.run(t, from, to, t.attempt ?? '');
      return;
    }
    const p = this.proposed;
    if (!p) {
      this.notice.say('Draw an outline first, or go to a frame inside the span.');
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
    let [from, to] = this.frames(way, Math.floor(p.frame));
    from = Math.min(from, p.frame);
    to = Math.max(to, p.frame);
    await this.run(fresh, Math.max(from, 0), Math.min(to, this.last()), '', { ride: c.id, at: p.frame });
  }

  /**
   * The selected track is followed anew: from the frame shown, with the surface drawn apart
   * or the one that lies there now, and with the model and channel that are set. What was
   * followed before stays as an attempt.
   */
  async anew(): Promise<void> {
    const t = this.track;
    if (!t) return;
    this.playhead.pause();
    const drawn = this.apart;
    const here = this.surface;
    if (!drawn && !(here && here.state !== '-' && here.state !== 'l' && here.outline.length)) {
      this.notice.say('The surface is not known on this frame: draw it here, or go to a frame where it lies right.');
      return;
    }
    const frame = drawn?.frame ?? this.playhead.frame;
    this.apart = undefined;
    const from: Track = {
      ...t,
      kind: drawn?.points ? 'points' : drawn ? 'surface' : t.kind,
      model: this.model,
      channel: this.channel,
      frame,
      surface: drawn?.surface ?? here!.outline,
      anchors: [],
    };
    await this.run(from, ...usedOver(from, this.session.document!.covers, this.last()), '');
  }

  /** By how many pixels the surface, followed as a plane, bends; 0 where it does not. */
  get bends(): number {
    const t = this.track;
    return (t?.model !== 'cloth' && this.runs.find((a) => a.id === t?.attempt)?.figures?.bends) || 0;
  }

  /** Follows the selected track again as cloth, from the frame it began on and as far as it is used. */
  async asCloth(): Promise<void> {
    const t = this.track;
    if (!t) return;
    this.playhead.pause();
    this.model = 'cloth';
    await this.run({ ...t, model: 'cloth' }, ...usedOver(t, this.session.document!.covers, this.last()), '');
  }

  private name(cover: string): string {
    const taken = new Set(this.session.document?.tracks?.map((t) => t.name));
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
    this.notice.clear();
    try {
      const { attempt: _a, poses: _p, ...plain } = track;
      const a = await ask(
        api.POST('/api/shots/{id}/attempts', {
          params: { path: { id: this.session.shot } },
          body: { track: plain, from: Math.floor(from), to: Math.floor(to), base, take: true, ...more },
        }),
      );
      if (!more.compare) {
        this.awaited = a.id;
        this.start = this.playhead.frame;
        this.watched = this.playhead.whole;
      }
      this.attempts.put(a);
      void this.attempts.heard(a.id);
    } catch (e) {
      this.notice.say(e);
    }
  }

  async stop(): Promise<void> {
    if (this.running) await this.attempts.stop(this.running.id);
  }

  /** What the row of a cover shows of its track: the document's, or that of a run. */
  states(cover: Cover): { first: number; states: string; anchors: number[]; sure: number[] } | undefined {
    const row = this.session.rows.get(cover.id);
    const live = this.live;
    if (
      live &&
      (live.track === cover.track || (live.track === this.running?.track.id && cover.id === this.selection.cover?.id))
    )
      return { ...live, anchors: row?.anchors ?? [] };
    return row?.states ? row : undefined;
  }

  /** How many frames of the cover's span are lost or not followed, and how many weak. */
  doubted(c: Cover): { lost: number; weak: number } {
    const s = this.states(c);
    const n = { lost: 0, weak: 0 };
    for (let f = c.span.first; s && f <= c.span.last; f++) {
      const letter = s.states[f - s.first] ?? '-';
      if ('l-'.includes(letter)) n.lost++;
      else if (letter === 'w') n.weak++;
    }
    return n;
  }

  /** Goes to the next stretch where the track is weak or lost. */
  doubtful(way: 1 | -1): void {
    const c = this.selection.cover;
    const s = c && this.states(c);
    if (!c || !s) return;
    const bad = (f: number) => 'wl-'.includes(s.states[f - s.first] ?? '-');
    const n = c.span.last - c.span.first + 1;
    for (let i = 1; i <= n; i++) {
      const f = c.span.first + ((((this.playhead.whole - c.span.first + way * i) % n) + n) % n);
      if (bad(f) && (f === c.span.first || !bad(f - 1))) return this.playhead.seek(f);
    }
    this.notice.say('Every frame of the span is surely followed.');
  }

  // ---- Putting right ------------------------------------------------------

  /** Offers the surface's corners on this frame to be dragged. */
  correctHere(): void {
    const s = this.surface;
    this.playhead.pause();
    const points = this.track?.kind === 'points';
    if (s && this.track)
      this.correction = { frame: this.playhead.frame, corners: points ? s.outline : quad(s), was: s, points };
  }

  /**
   * The surface lies as it was put right: an anchor there, and the stretches on both
   * its sides, as far as the next anchors, are tracked again.
   */
  async anchor(): Promise<void> {
    const m = this.correction;
    const t = this.track;
    this.correction = undefined;
    if (!m || !t) return;
    if (m.frame === t.frame) {
      this.notice.say(
        'This is the frame where the surface was drawn; draw it again instead, or put it right on another frame.',
      );
      return;
    }
    if (m.points) {
      await this.anchored(t, { frame: m.frame, corners: m.was.corners, points: m.corners });
      return;
    }
    let corners;
    try {
      corners = core.mapped({ from: quad(m.was), to: m.corners as Quad, points: m.was.corners });
    } catch {
      this.notice.say('Those four corners are no view of a flat surface; put them right again.');
      return;
    }
    await this.anchored(t, { frame: m.frame, corners });
  }

  private async anchored(t: Track, a: Track['anchors'][number]): Promise<void> {
    const anchors = [...t.anchors.filter((x) => x.frame !== a.frame), a].sort((x, y) => x.frame - y.frame);
    await this.again({ ...t, anchors }, a.frame);
  }

  /** Tracks again between the anchors around a frame. */
  private async again(t: Track, f: number): Promise<void> {
    const c = this.selection.cover!;
    const { first, last } = core.stretch({ track: t, frame: f, span: c.span });
    await this.run(t, first, last, t.attempt ?? '');
  }

  async removeAnchor(f: number): Promise<void> {
    const t = this.track;
    if (t) await this.again({ ...t, anchors: t.anchors.filter((a) => a.frame !== f) }, f);
  }

  /** Only the cover moves, by as much as the surface's corners were moved; the track stays. */
  correct(): void {
    const m = this.correction;
    const c = this.selection.cover;
    this.correction = undefined;
    if (!m || !c) return;
    const { apart: _, ...how } = this.keying.how;
    try {
      const commands = core
        .warp({ cover: c.id, frame: m.frame, from: quad(m.was), to: m.corners as Quad })
        .map((o): Command => ({
          do: 'reshape',
          cover: c.id,
          id: o.id,
          frame: m.frame,
          ...how,
          knots: o.knots,
        }));
      void this.session.save(commands);
    } catch {
      this.notice.say('Those four corners are no view of a flat surface; put them right again.');
    }
  }

  // ---- Attempts -------------------------------------------------------------

  /** Runs others in the background: from other frames and with other models. */
  async others(): Promise<void> {
    const t = this.track;
    const c = this.selection.cover;
    if (!t?.attempt || !c || t.kind !== 'surface') return;
    const span: [number, number] = [Math.min(c.span.first, t.frame), Math.max(c.span.last, t.frame)];
    const row = this.session.rows.get(c.id);
    const good = (f: number) => row?.states[f - row.first] === 'g';
    const { attempt } = t;
    const elsewhere = [0.2, 0.8]
      .map((k) => Math.round(span[0] + k * (span[1] - span[0])))
      .filter((f) => good(f) && Math.abs(f - t.frame) > 5)
      .map((frame) => ({ frame, surface: core.surface({ track: t, attempt, frame }).outline }));
    // The one in use too, to be compared by the same figures.
    const fresh = untried(t, elsewhere, span, this.runs);
    if (!fresh.length) this.notice.say('All of these have been tried; the list has their figures.');
    for (const w of fresh) await this.run(w, span[0], span[1], '', { take: false, compare: true });
  }

  use(a: Attempt): void {
    const { poses: _, ...t } = a.track;
    void this.attempts
      .learn({ tracks: [{ ...t, attempt: a.id }] })
      .then(() =>
        this.session.save([{ do: 'track', track: { ...t, name: this.track?.name ?? t.name, attempt: a.id } }]),
      );
  }

  /** Reads a track of a file; the selected cover rides on it as it lies here. */
  async read(text: string, name: string): Promise<void> {
    const c = this.selection.cover;
    const track = { ...core.importTrack({ text }), id: crypto.randomUUID(), name };
    const a = await ask(
      api.POST('/api/shots/{id}/imported-tracks', { params: { path: { id: this.session.shot } }, body: track }),
    );
    this.attempts.put(a);
    const { poses: _, ...t } = { ...track, attempt: a.id };
    await this.attempts.learn({ tracks: [t] });
    await this.session.save([
      { do: 'track', track: t },
      ...(c ? [{ do: 'ride' as const, cover: c.id, id: t.id, frame: this.playhead.frame }] : []),
    ]);
  }

  // ---- Sharing ----------------------------------------------------------------

  rideOn(t: Track): void {
    const c = this.selection.cover;
    if (c) void this.session.save([{ do: 'ride', cover: c.id, id: t.id, frame: this.playhead.frame }]);
  }

  byHand(tolerance: number): void {
    const c = this.selection.cover;
    const t = this.track;
    if (!c || !t) return;
    const alone = this.session.document!.covers.filter((x) => x.track === t.id).length === 1;
    void this.session.save([
      { do: 'byHand', cover: c.id, number: tolerance },
      ...(alone ? [{ do: 'untrack' as const, id: t.id }] : []),
    ]);
  }
}
