// The tool in use, and what is being drawn with it.
import type { Knot, Point } from '../api/api';
import { Drawing, type Shape } from './drawing.svelte';
import type { Notice } from './notice.svelte';
import type { Playhead } from './playhead.svelte';

export type Tool = 'move' | 'pick' | 'surface' | 'points' | 'brush' | Shape;
/** What a drawing becomes. */
export type Purpose = 'cover' | 'surface' | 'holdout';

export class Toolbox {
  tool = $state<Tool>('move');
  purpose = $state<Purpose>('cover');
  drawing = $state.raw<Drawing>();
  /** Called when a tool is taken up. */
  taken: (tool: Tool) => void = () => {};
  private become = new Map<Purpose, (shape: Shape, knots: Knot[]) => void>();

  constructor(
    private playhead: Playhead,
    private notice: Notice,
  ) {}

  /** Says what drawings of a purpose become. */
  on(purpose: Purpose, become: (shape: Shape, knots: Knot[]) => void): void {
    this.become.set(purpose, become);
  }

  take(tool: Tool, purpose: Purpose = tool === 'surface' ? 'surface' : 'cover'): void {
    this.leave();
    this.playhead.pause();
    this.tool = tool;
    this.purpose = purpose;
    this.drawing = undefined;
    this.notice.clear();
    this.taken(tool);
  }
  /** Takes a tool, or puts it down where it is in use. */
  toggle(tool: Tool): void {
    this.take(this.tool === tool ? 'move' : tool);
  }

  /** An outline half drawn is not left behind: it is closed or discarded with a word. */
  leave(): void {
    const d = this.drawing;
    if (!d?.open) return;
    if (d.whole && d.shape === 'path') {
      this.finish();
      this.notice.say('The open path was closed where it was.');
      return;
    }
    this.drawing = undefined;
    const what = d.shape === 'corners' ? 'corners were' : 'path was';
    const knots = d.knots.length === 1 ? 'one knot hides' : `${d.knots.length} knots hide`;
    this.notice.say(`The open ${what} discarded: ${knots} nothing.`);
  }

  /** Discards what is half drawn; false where nothing is. */
  discard(): boolean {
    if (!this.drawing?.open) return false;
    this.drawing = undefined;
    this.notice.say('What was drawn was discarded.');
    return true;
  }

  /** What is drawn becomes what it is for. */
  finish(): void {
    const d = this.drawing;
    this.drawing = undefined;
    if (!d) return;
    if (!d.whole) {
      this.notice.say('That outline is too small to hide anything; drag from one corner to the other.');
      return;
    }
    this.become.get(this.purpose)?.(d.shape, d.knots);
  }

  /** Draws a box of that size in the middle of the view, for the keyboard: to be moved from there. */
  drawAround(c: Point, w: number, h: number): void {
    if (this.tool === 'move' || this.tool === 'pick' || this.tool === 'points' || this.tool === 'brush') return;
    this.drawing = new Drawing(this.tool === 'surface' ? 'corners' : this.tool);
    this.drawing.drag({ x: c.x - w, y: c.y - h }, { x: c.x + w, y: c.y + h });
    this.finish();
  }
}
