// Where the bench is in the shot, and how it plays.
import type { Frames } from './frames';

export abstract class Playhead {
  frame = $state(0);
  speed = $state(0); // frames a frame time, 0 paused
  loop = $state(true);
  protected begun = 0; // the frame where playing began
  dropped = 0;
  played = 0;
  frames!: Frames;

  /** The shot's last frame, its rate, the revision shown, and what to play over. */
  abstract get last(): number;
  abstract get rate(): { num: number; den: number };
  abstract get shown(): number;
  abstract get range(): [number, number];
  /** Called before anything that leaves the frame. */
  abstract leave(): void;
  /** Called at everything the editor does. */
  abstract busy(): void;

  private later: ReturnType<typeof setTimeout> | undefined;
  private back: number | undefined; // where playing around a frame returns to

  seek(f: number): void {
    f = Math.min(Math.max(Math.round(f), 0), this.last);
    if (f === this.frame) return;
    this.leave();
    this.busy();
    const by = f - this.frame;
    this.frame = f;
    if (this.speed !== 0) return;
    // Stepping wants the next frames at once; after a jump the frame itself comes first.
    clearTimeout(this.later);
    const ahead = () => this.frames.ahead(this.shown, this.frame, by === -1 ? -1 : 1, [0, this.last]);
    if (Math.abs(by) === 1) ahead();
    else this.later = setTimeout(ahead, 200);
  }

  /** Plays a second to each side of this frame, over and over, and comes back to it. */
  around(): void {
    if (this.speed !== 0) return this.play(0);
    const n = Math.round(this.rate.num / this.rate.den);
    const range: [number, number] = [Math.max(this.frame - n, 0), Math.min(this.frame + n, this.last)];
    const here = this.frame;
    this.frame = range[0];
    this.play(1, range);
    this.back = here;
  }

  play(speed: number, over?: [number, number]): void {
    this.busy();
    if (speed !== 0) this.leave();
    const was = this.speed;
    if (was === 0) this.begun = this.frame;
    this.speed = speed;
    if (speed === 0) {
      if (this.back !== undefined) this.frame = this.back;
      this.back = undefined;
    }
    if (was !== 0 || speed === 0) return;
    const range = over ?? this.range;
    const period = (1000 * this.rate.den) / this.rate.num;
    let from = performance.now();
    let at = this.frame;
    let rolling = false;
    const len = range[1] - range[0] + 1;
    const next = (f: number, n: number) => range[0] + ((((f - range[0] + n) % len) + len) % len);
    this.frames.ahead(this.shown, at, Math.sign(speed), range, true);
    const tick = (now: number) => {
      if (this.speed === 0) return;
      const step = Math.sign(this.speed);
      if (!rolling) {
        // A few frames are there before the clock starts.
        if (
          this.frames.ready(
            this.shown,
            [1, 2, 3, 5, 8, 11].map((n) => next(at, n * step)),
          )
        ) {
          rolling = true;
          from = now;
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
        if (this.frames.have(this.shown, want)) {
          this.played += due;
          this.dropped += due - 1;
          at = want;
          from += (due * period) / Math.abs(this.speed);
          this.frame = at;
          this.frames.ahead(this.shown, at, step, range, true);
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
