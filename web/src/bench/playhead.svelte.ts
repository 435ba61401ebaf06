// Where the bench is in the shot, and how it plays.
import type { Frames } from './frames';

/** What the playhead runs over. */
export interface Clip {
  last: number; // frame
  step: number; // from moment to moment: a frame, or half of one where fields are looked at
  rate: { num: number; den: number };
  shown: number; // revision
  /** The frames that playing runs over from a frame. */
  range(frame: number): [number, number];
  /** Called before anything that leaves the frame. */
  leave(): void;
  /** Called at everything the editor does. */
  busy(): void;
  /** Called about once a second while it plays. */
  playing(): void;
  /** The pictures are at a frame, or between two, and go on at a speed; 0 where they stop. */
  sound(frame: number, speed: number): void;
  /** One step was made, to this frame. */
  grain(frame: number): void;
}

const beat = 1000; // ms

export class Playhead {
  frame = $state(0);
  speed = $state(0); // frames a frame time, 0 paused
  loop = $state(true);
  begun = 0; // the frame where playing began
  dropped = 0;
  played = 0;
  frames!: Frames;

  constructor(private clip: Clip) {}

  /** The frame that is shown, or whose field is. */
  get whole(): number {
    return Math.floor(this.frame);
  }
  get step(): number {
    return this.clip.step;
  }
  get range(): [number, number] {
    return this.clip.range(this.whole);
  }
  pause(): void {
    if (this.speed !== 0) this.play(0);
  }

  private later: ReturnType<typeof setTimeout> | undefined;
  private runs = 0; // of playing; one that another follows at once must end too
  private back: number | undefined; // where playing around a frame returns to

  seek(f: number): void {
    const { step } = this.clip;
    f = Math.min(Math.max(Math.round(f / step) * step, 0), this.clip.last + 1 - step);
    if (f === this.frame) return;
    this.clip.leave();
    this.clip.busy();
    const by = f - this.frame;
    this.frame = f;
    if (this.speed !== 0) return;
    // Stepping wants the next frames at once; after a jump the frame itself comes first.
    clearTimeout(this.later);
    const way = by < 0 && by >= -1 ? -step : step;
    const ahead = (how: 'steps' | 'jumped') =>
      this.frames.ahead(this.clip.shown, this.frame, way, [0, this.clip.last], how);
    if (Math.abs(by) <= 1) {
      ahead('steps');
      this.clip.grain(this.frame);
    } else this.later = setTimeout(() => ahead('jumped'), 200);
  }

  /** Plays a second to each side of this frame, over and over, and comes back to it. */
  around(): void {
    if (this.speed !== 0) return this.play(0);
    const n = Math.round(this.clip.rate.num / this.clip.rate.den);
    const range: [number, number] = [Math.max(this.whole - n, 0), Math.min(this.whole + n, this.clip.last)];
    const here = this.frame;
    this.frame = range[0];
    this.play(1, range);
    this.back = here;
  }

  play(speed: number, over?: [number, number]): void {
    this.clip.busy();
    if (speed !== 0) this.clip.leave();
    const was = this.speed;
    if (was === 0) this.begun = this.frame;
    this.speed = speed;
    if (speed === 0) {
      this.clip.sound(this.frame, 0);
      if (was !== 0) performance.mark('celator play', { detail: { played: this.played, dropped: this.dropped } });
      if (this.back !== undefined) this.frame = this.back;
      this.back = undefined;
    }
    if (was !== 0 || speed === 0) return;
    this.played = this.dropped = 0;
    const run = ++this.runs;
    const range = over ?? this.range;
    const period = (1000 * this.clip.rate.den) / this.clip.rate.num;
    let from = performance.now();
    let at = this.whole; // frames are played, of fields the first ones
    let rolling = false;
    let told = -Infinity;
    const len = range[1] - range[0] + 1;
    const next = (f: number, n: number) => range[0] + ((((f - range[0] + n) % len) + len) % len);
    this.frames.ahead(this.clip.shown, at, Math.sign(speed), range, 'plays');
    const tick = (now: number) => {
      if (this.speed === 0 || run !== this.runs) return;
      if (now - told > beat) {
        told = now;
        this.clip.playing();
      }
      const step = Math.sign(this.speed);
      if (!rolling) {
        // A few frames are there before the clock starts.
        if (
          this.frames.ready(
            this.clip.shown,
            [1, 2, 3, 5, 8, 11].map((n) => next(at, n * step)),
          )
        ) {
          rolling = true;
          from = now;
          this.clip.sound(at, this.speed);
        }
        requestAnimationFrame(tick);
        return;
      }
      const due = Math.floor(((now - from) * Math.abs(this.speed)) / period + 0.25);
      if (due > 0) {
        const end = step > 0 ? range[1] : range[0];
        if (!this.loop && !over && (end - at) * step <= due) {
          this.frame = end;
          return this.play(0);
        }
        const want = next(at, step * due);
        if (this.frames.have(this.clip.shown, want)) {
          this.played += due;
          this.dropped += due - 1;
          at = want;
          from += (due * period) / Math.abs(this.speed);
          this.frame = at;
          this.frames.ahead(this.clip.shown, at, step, range, 'plays');
          this.clip.sound(at + ((now - from) * this.speed) / period, this.speed);
        }
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
  }

  /** Plays that way; again for the next of the speeds. */
  faster(way: 1 | -1, speeds: number[]): void {
    const i = Math.sign(this.speed) === way ? speeds.indexOf(Math.abs(this.speed)) + 1 : 0;
    if (this.speed !== 0 && Math.sign(this.speed) !== way) this.play(0);
    this.play(way * speeds[Math.min(i, speeds.length - 1)]!);
  }
}
