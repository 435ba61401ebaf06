// Which frames the timeline shows, and how large.

/** The largest that a frame is drawn, px. */
const widest = 40;

export class Scale {
  width = $state(100); // of the rows, px
  private wanted = $state(0); // px a frame; 0 fits the shot
  private from = $state(0);

  constructor(private last: () => number) {}

  get frames(): number {
    return this.last() + 1;
  }
  /** Pixels a frame. */
  get step(): number {
    return Math.max(this.wanted, this.width / this.frames);
  }
  /** How many frames are shown. */
  get shown(): number {
    return this.width / this.step;
  }
  /** The first frame shown; it may begin between two. */
  get first(): number {
    return Math.min(Math.max(this.from, 0), this.frames - this.shown);
  }
  get fits(): boolean {
    return this.shown >= this.frames - 1e-6;
  }

  /** Where a frame begins, and where its middle lies, px. */
  left(f: number): number {
    return (f - this.first) * this.step;
  }
  x(f: number): number {
    return this.left(f + 0.5);
  }
  /** Where a stretch of frames lies, no further than a little beyond what is shown. */
  stretch(first: number, last: number, least = 0): { left: number; width: number } {
    const left = Math.max(this.left(first), -20);
    const right = Math.min(this.left(last + 1), this.width + 20);
    return { left, width: Math.max(right - left, right < left ? 0 : least) };
  }
  shows(first: number, last = first): boolean {
    return last >= this.first - 1 && first <= this.first + this.shown;
  }
  frameAt(x: number): number {
    return Math.min(Math.max(Math.floor(this.first + x / this.step), 0), this.last());
  }

  /** Draws frames larger by a factor; what lies at x stays there. */
  zoom(factor: number, x: number): void {
    const f = this.first + x / this.step;
    const step = Math.min(Math.max(this.step * factor, this.width / this.frames), widest);
    this.wanted = step <= (this.width / this.frames) * 1.001 ? 0 : step;
    this.from = f - x / this.step;
  }
  scroll(frames: number): void {
    this.from = this.first + frames;
  }
  fit(): void {
    this.wanted = 0;
    this.from = 0;
  }
  /** Brings a frame into what is shown. */
  follow(f: number): void {
    if (f < this.first) this.from = f - 0.1 * this.shown;
    else if (f + 1 > this.first + this.shown) this.from = f - 0.9 * this.shown;
  }
}
