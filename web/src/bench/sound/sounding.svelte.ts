// The shot's sound on the bench: what is heard, its peaks, and the passages in which
// something is hidden.
import type { Passage } from '../../api/api';
import { remembered } from '../../shared/remembered';
import type { Playhead } from '../playhead.svelte';
import type { Selection } from '../selection.svelte';
import type { EditingSession } from '../session.svelte';
import type { OpenShot } from '../shot.svelte';
import { Speaker } from './speaker';

/** Peaks are told for each hundredth of a second. */
const peaksPerSecond = 100;

export class Sounding {
  /** The passage in hand, by id; while there is one the card speaks of it. */
  picked = $state('');
  /** The source's own sound is heard, without what passages do. */
  original = $state(false);
  on = $state(remembered.sound);
  level = $state(remembered.level); // 0 to 1
  /** Tracks that are heard, counted from 0. */
  tracks = $state<number[]>([0]);
  peaks = $state.raw<Uint8Array>(); // of the whole source, 255 full scale

  /** How far the sound was from the picture when that last changed, ms to who listens; nothing while none is heard. */
  lag = $state<number>();

  private speaker: Speaker | undefined;
  private known = new Map<string, number>(); // passages as they were, and the first revision that had them

  constructor(
    private shot: OpenShot,
    private session: EditingSession,
    private playhead: Playhead,
    private selection: Selection,
  ) {}

  /** The source's sound tracks. */
  get all() {
    return this.shot.view?.sourceInfo.info.sound ?? [];
  }
  get passages(): Passage[] {
    return this.session.document?.passages ?? [];
  }
  get passage(): Passage | undefined {
    return this.passages.find((p) => p.id === this.picked);
  }
  private get fps(): number {
    return this.shot.rate.num / this.shot.rate.den;
  }

  open(): void {
    if (!this.all.length) return;
    this.tracks = this.all.length > 1 && this.all[0]!.channels === 1 && this.all[1]!.channels === 1 ? [0, 1] : [0];
    this.begin();
  }
  private begin(): void {
    const address = (from: number, seconds: number) =>
      `/api/shots/${this.shot.id}/sound/${this.revision}` +
      `?tracks=${this.tracks.join(',')}&from=${from}&seconds=${seconds}` +
      (this.original ? '&source=true' : '');
    this.speaker = new Speaker({ rate: this.all[this.tracks[0]!]!.rate, address });
    this.speaker.level = this.loudness;
    void this.draw();
  }
  close(): void {
    this.speaker?.close();
  }

  /** The revision by which the sound is asked for: the first that has these passages. */
  private get revision(): number {
    const as = JSON.stringify(this.passages);
    if (!this.known.has(as)) this.known.set(as, this.session.shown);
    return this.known.get(as)!;
  }
  private get loudness(): number {
    return this.on ? this.level ** 2 : 0; // nearer to how loud it seems
  }

  /** What was heard is not what is there any more. */
  renew(): void {
    this.speaker?.forget();
    this.speaker?.stop();
  }
  setOn(on: boolean): void {
    this.on = remembered.sound = on;
    this.louder(this.level);
  }
  louder(level: number): void {
    this.level = remembered.level = level;
    if (!this.speaker) return;
    this.speaker.level = this.loudness;
    if (!this.loudness) this.speaker.stop();
  }
  setOriginal(on: boolean): void {
    this.original = on;
    this.renew();
  }
  listen(tracks: number[]): void {
    this.tracks = tracks;
    this.speaker?.close();
    this.begin();
  }

  /** The pictures are at a frame, and go on at a speed. */
  follow(frame: number, speed: number): void {
    const heard = this.speaker?.heard;
    const off = heard === undefined ? undefined : heard - frame / this.fps;
    this.lag = off === undefined || speed === 0 ? undefined : Math.round((1000 * off) / Math.abs(speed));
    this.speaker?.follow(frame / this.fps, speed);
  }
  /** The sound of one frame. */
  grain(frame: number): void {
    const least = 0.06; // s, below which nothing is made out
    void this.speaker?.grain(Math.max(frame, 0) / this.fps, Math.max(1 / this.fps, least));
  }
  private async draw(): Promise<void> {
    const track = this.tracks[0]!;
    try {
      const r = await fetch(`/api/sources/${this.shot.view!.source}/sound/${track}/peaks`);
      this.peaks = r.ok ? new Uint8Array(await r.arrayBuffer()) : undefined;
    } catch {
      this.peaks = undefined;
    }
  }
  /** The largest peak between two frames of the shot, 0 to 1. */
  peak(from: number, to: number): number {
    const place = (f: number) => ((this.shot.view!.first + f) / this.fps) * peaksPerSecond;
    const a = Math.max(Math.floor(place(from)), 0);
    const b = Math.max(Math.ceil(place(to)), a + 1);
    let most = 0;
    for (let i = a; i < b && i < (this.peaks?.length ?? 0); i++) most = Math.max(most, this.peaks![i]!);
    return most / 255;
  }

  // ---- Passages -------------------------------------------------------------

  pick(id: string): void {
    this.picked = this.picked === id ? '' : id;
  }
  /** A new passage from a place to another, in frames, for the item in hand. */
  add(from: number, to: number): void {
    const item = this.shot.items.find((i) => i.id === this.selection.itemId);
    const spoken = item && (item.kind === 'speech' || !this.session.document?.covers.some((c) => c.item === item.id));
    const id = crypto.randomUUID();
    const name = spoken ? item.name : `Passage ${this.passages.length + 1}`;
    const at = (f: number) => Math.min(Math.max(Math.round(f * 100) / 100, 0), this.shot.last + 1);
    const passage: Passage = { id, name, from: at(from), to: at(to), how: 'mute', fade: 8 };
    if (spoken) passage.item = item.id;
    if (passage.to <= passage.from) return;
    this.save(passage);
    this.picked = id;
  }
  /** One around the frame shown, a second long. */
  addHere(): void {
    const half = this.fps / 2;
    this.add(this.playhead.frame - half, this.playhead.frame + half);
  }
  change(change: Partial<Passage>): void {
    const p = this.passage;
    if (!p) return;
    const next = { ...p, ...change };
    if (next.how === 'tone' && !next.pitch) Object.assign(next, { pitch: 1000, level: -20 });
    if (next.from < next.to) this.save(next);
  }
  /** The passage in hand begins, or ends, at the frame shown. */
  edge(which: 'from' | 'to'): void {
    const f = this.playhead.frame;
    this.change(which === 'from' ? { from: f } : { to: Math.min(f + 1, this.shot.last + 1) });
  }
  remove(): void {
    const p = this.passage;
    this.picked = '';
    if (p) void this.session.save([{ do: 'unpassage', id: p.id }]);
    this.renew();
  }
  /** Plays it with a second before and after. */
  play(): void {
    const p = this.passage;
    if (!p) return;
    if (this.playhead.speed !== 0) this.playhead.pause();
    const from = Math.max(Math.floor(p.from - this.fps), 0);
    this.playhead.seek(from);
    this.playhead.play(1, [from, Math.min(Math.ceil(p.to + this.fps), this.shot.last)]);
  }

  private save(passage: Passage): void {
    void this.session.save([{ do: 'passage', passage }]);
    this.renew();
  }
}
