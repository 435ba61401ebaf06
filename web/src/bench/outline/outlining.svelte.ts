// The step Outline: covers and outlines are drawn, placed and reshaped.
import type { Command, Cover, Item, Knot, Placement, Point, Style } from '../../api/api';
import { core } from '../../core/core';
import type { Shape } from '../drawing.svelte';
import type { Keying } from '../keying.svelte';
import { carry } from '../map';
import type { Playhead } from '../playhead.svelte';
import type { Selection } from '../selection.svelte';
import type { EditingSession } from '../session.svelte';
import type { OpenShot } from '../shot.svelte';
import type { Toolbox } from '../toolbox.svelte';

/** A cover's place, size and turn on a frame, as numbers. */
export interface Numbers {
  x?: number;
  y?: number;
  w?: number;
  h?: number;
  turn?: number;
}

export class Outlining {
  /** Called when the selected cover was placed by hand on the frame shown. */
  placed: () => void = () => {};
  /** A drawn outline is added; otherwise the cover is fitted to it. */
  adding = $state(false);

  constructor(
    private shot: OpenShot,
    private session: EditingSession,
    private playhead: Playhead,
    private selection: Selection,
    private keying: Keying,
    private toolbox: Toolbox,
    private styleFor: (kind: Item['kind']) => Style | undefined,
  ) {
    toolbox.on('cover', (shape, knots) => this.drawn(shape, knots));
  }

  /** What is drawn becomes a cover, one more outline of it, or its place at this frame. */
  private drawn(shape: Shape, knots: Knot[]): void {
    const item = this.selection.item;
    if (!item) return;
    const box = core.path({ knots }).bounds;
    const frame = this.playhead.frame;
    const outline = core.outline({ id: this.freshId(), shape, frame, box });
    if (shape === 'corners' || shape === 'path') outline.keys[0]!.knots = knots;
    const cover = this.selection.cover;
    const { apart, ...scope } = this.keying.how;
    if (!cover) {
      if (!this.keying.onward) this.toolbox.tool = 'move'; // else the next drawing fits it elsewhere
      this.addCover(item, outline, box);
      this.placed();
      return;
    }
    if (this.adding || shape === 'path') {
      this.toolbox.tool = 'move';
      this.adding = false;
      void this.session.save([{ do: 'addOutline', cover: cover.id, frame, outline }]);
      return;
    }
    const was = this.selection.state!.outlines;
    if (shape === 'corners' && was.length === 1 && was[0]!.knots.length === 4 && was[0]!.shape === 'corners') {
      const aligned = core.aligned({ knots, was: was[0]!.knots });
      void this.session.save([{ do: 'reshape', cover: cover.id, id: was[0]!.id, frame, ...scope, knots: aligned }]);
      this.placed();
      return;
    }
    void this.session.save([{ do: 'fit', cover: cover.id, frame, ...scope, apart, rect: box }]);
    this.placed();
  }

  private addCover(item: Item, outline: Cover['outlines'][number], box: { min: Point; max: Point }): void {
    const middle = { x: (box.min.x + box.max.x) / 2, y: (box.min.y + box.max.y) / 2 };
    const side = Math.min(box.max.x - box.min.x, box.max.y - box.min.y);
    const cover: Cover = {
      id: crypto.randomUUID(),
      item: item.id,
      name: item.name,
      span: { first: 0, last: this.shot.last },
      outlines: [outline],
      motion: {
        pivot: middle,
        keys: [{ frame: this.playhead.frame, move: { x: 0, y: 0 }, turn: 0, size: { x: 1, y: 1 } }],
      },
      grow: 0,
      soften: { across: 4, down: 4 },
      treatments: [core.treatment({ id: 't1', kind: 'blur', under: { side } })],
    };
    const style = this.styleFor(item.kind);
    void this.session.save([
      { do: 'add', new: cover },
      ...(style ? [{ do: 'style' as const, cover: cover.id, id: style.id, style: style.style }] : []),
    ]);
  }

  private freshId(): string {
    const used = new Set(this.selection.cover?.outlines.map((o) => o.id));
    for (let i = 1; ; i++) if (!used.has(`o${i}`)) return `o${i}`;
  }

  /** Adds the outlines of a file to the selected cover. */
  read(text: string): void {
    const cover = this.selection.cover;
    if (!cover) return;
    const used = new Set(cover.outlines.map((o) => o.id));
    const frame = this.playhead.frame;
    const commands = core.importOutline({ text }).map((knots): Command => {
      let n = 1;
      while (used.has(`o${n}`)) n++;
      used.add(`o${n}`);
      const outline = { id: `o${n}`, shape: 'path' as const, keys: [{ frame, knots }] };
      return { do: 'addOutline', cover: cover.id, frame, outline };
    });
    void this.session.save(commands);
  }

  // Commands of a drag, for the frame shown.

  place(placement: Placement): Command {
    const { frame } = this.playhead;
    return { do: 'place', cover: this.selection.cover!.id, frame, ...this.keying.how, placement };
  }
  reshape(id: string, knots: Knot[]): Command {
    const { frame } = this.playhead;
    const { apart: _, ...how } = this.keying.how;
    return { do: 'reshape', cover: this.selection.cover!.id, id, frame, ...how, knots };
  }

  get numbers(): Required<Numbers> {
    const { centre, size, placement } = this.selection.state!;
    return { x: centre.x, y: centre.y, w: size.x, h: size.y, turn: placement.turn };
  }
  /** The command that gives the selected cover some of these on the frame shown. */
  numbered(n: Numbers): Command {
    const { centre, placement } = this.selection.state!;
    const was = this.unshown ?? { ...this.numbers, size: placement.size, centre };
    this.unshown = was;
    const size = { x: was.size.x * ((n.w ?? was.w) / was.w), y: was.size.y * ((n.h ?? was.h) / was.h) };
    const p = this.posed(n.turn ?? was.turn, size);
    const d = this.wayBack(centre, { x: n.x ?? was.x, y: n.y ?? was.y });
    return this.place({ ...p, move: { x: p.move.x + d.x, y: p.move.y + d.y } });
  }
  /** What the cover was before numbers were shown that are not saved. */
  private unshown: (Required<Numbers> & { size: Point; centre: Point }) | undefined;
  /** Shows a command, or what is saved. */
  show(command?: Command): void {
    this.playhead.pause();
    if (!command) this.unshown = undefined;
    this.session.show(command ? [command] : []);
  }
  save(command: Command): void {
    this.unshown = undefined;
    void this.session.save([command]);
  }

  /** Moves the selected knots, or else the whole cover, by so many pixels. */
  nudge(dx: number, dy: number): void {
    this.playhead.pause();
    const state = this.selection.state;
    if (!state) return;
    const { outline, indexes } = this.selection.knots;
    const o = state.outlines.find((o) => o.id === outline);
    if (o && indexes.length) {
      const moved = (k: Knot, i: number) => (indexes.includes(i) ? { ...k, p: { x: k.p.x + dx, y: k.p.y + dy } } : k);
      void this.session.save([this.reshape(o.id, o.knots.map(moved))]);
      return;
    }
    const d = this.wayBack(state.centre, { x: state.centre.x + dx, y: state.centre.y + dy });
    this.change((p) => ({ ...p, move: { x: p.move.x + d.x, y: p.move.y + d.y } }));
  }

  /** A way on the picture as one where the cover was drawn, before its track carries it. */
  wayBack(from: Point, to: Point): Point {
    const m = this.selection.state!.back;
    const [a, b] = [carry(m, from), carry(m, to)];
    return { x: b.x - a.x, y: b.y - a.y };
  }

  change(f: (p: Placement) => Placement): void {
    this.playhead.pause();
    const state = this.selection.state;
    if (state) void this.session.save([this.place(f(state.placement))]);
  }
  /** The selected cover's placement with another turn or size, its middle where it is. */
  posed(turn: number, size: Point): Placement {
    return core.posed({ cover: this.selection.cover!.id, frame: this.playhead.frame, turn, size });
  }
  turnBy(degrees: number): void {
    this.change((p) => this.posed(p.turn + degrees, p.size));
  }
  sizeBy(x: number, y: number): void {
    this.change((p) => this.posed(p.turn, { x: p.size.x * x, y: p.size.y * y }));
  }
}
