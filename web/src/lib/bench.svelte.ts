// The bench's state: one shot, its newest revision, the frame, the item in hand,
// and everything that changes them. Edits show at once; they are saved one after
// another in the background and never lost (see saves.ts).
import {
  api,
  ask,
  listen,
  patch,
  type Command,
  type Copied,
  type Cover,
  type Delivery,
  type Document,
  type Ease,
  type Edit,
  type Item,
  type Knot,
  type Patch,
  type Placement,
  type Point,
  type Revision,
  type Shot,
  type Treatment,
} from './api';
import { Checking } from './checking.svelte';
import { Concealing } from './concealing.svelte';
import { carry, core, loadCore, type Glance, type Hand, type Slat } from './core';
import { Drawing, type Shape } from './drawing.svelte';
import { Following } from './following.svelte';
import { Frames } from './frames';
import { Holding } from './holding.svelte';
import { Playhead } from './playhead.svelte';
import { Saves, type Conflict } from './saves';

export type Tool = 'move' | 'pick' | 'surface' | 'points' | 'brush' | Shape;
export type Step = 'outline' | 'follow' | 'hold' | 'conceal' | 'check';
export type Look = 'concealed' | 'clean' | 'matte' | 'side' | 'wipe' | 'pair';
export type Scope = 'frame' | 'span';
export type KeyState = 'none' | 'keyed' | 'here';

export class Bench extends Playhead {
  follows = new Following(this);
  holds = new Holding(this);
  conceals = new Concealing(this);
  checks = new Checking(this);
  shot = $state<Shot>();
  document = $state.raw<Document>();
  private drafts = $state(0); // raised when the core's draft changes
  private settled = $state(0); // raised when its saved document changes
  revision = $state.raw<Revision>();
  deliveries = $state.raw<Delivery[]>([]);
  edits = $state.raw<Edit[]>([]);
  item = $state(''); // in hand
  step = $state<Step>('outline');
  error = $state('');
  saving = $state(0);
  conflict = $state.raw<Conflict>();

  // Looking.
  zoom = $state(0); // screen pixels for a source pixel; 0 fits
  centre = $state.raw<Point>(); // of the view, in picture coordinates; absent: the picture's
  steady = $state(false); // the view stays on the cover in hand
  look = $state<Look>('concealed');
  overlays = $state(true);
  strip = $state(true); // the steady strip
  course = $state(false); // the path of the cover's centre is shown
  clean = $state(false); // while a key is held
  bare = $state(false);
  hand = $state(false); // dragging moves the picture
  room = $state.raw({ w: 1, h: 1 }); // of the picture on the screen
  full = false; // the picture is shown at the source's size

  // Drawing and what is picked of the cover in hand.
  tool = $state<Tool>('move');
  adding = $state(false); // a drawn outline is added; otherwise the cover is fitted to it
  drawing = $state.raw<Drawing>();
  picked = $state.raw<{ outline: string; knots: number[] }>({ outline: '', knots: [] });
  shapeScope = $state<Scope>('frame');
  valueScope = $state<Scope>('span');
  pins = $state.raw<number[]>([]); // frames of the keys that are picked
  copied = $state.raw<Copied[]>([]);
  looks = $state.raw<Record<string, Record<string, string>>>({});

  /** What a drag shows in place of the saved patch. */
  draft = $state.raw<{ frame: number; patch: Patch; matte: boolean }>();
  /** Raised when pictures have come in or covers have changed. */
  drawn = $state(0);

  private stop: () => void = () => {};
  private pending: Command[] | undefined;
  private previewing = false;
  private saves!: Saves;

  async open(id: string): Promise<void> {
    const [shot] = await Promise.all([ask(api.GET('/api/shots/{id}', { params: { path: { id } } })), loadCore()]);
    this.shot = shot;
    const i = shot.sourceInfo.info;
    core.clock(i.rate.num, i.rate.den, i.timecode, shot.first);
    this.frames = new Frames(shot.source, shot.id, shot.first, this.last, () => this.drawn++);
    this.looks = shot.looks;
    this.saves = new Saves(id, {
      document: () => this.loaded(),
      shown: (r) => this.take(r),
      waiting: (n) => (this.saving = n),
      conflict: (c) => (this.conflict = c),
      say: (e) => this.say(e),
      glimpse: (ids) =>
        core
          .at(this.frame)
          .filter((c) => ids.includes(c.id))
          .map((c) => c.path)
          .join(''),
      known: (r) => this.follows.learn(r.document),
      painted: async (n) =>
        void (await this.frames.patch(n, this.frame, { full: this.full, matte: this.look === 'matte' }).wait),
    });
    await Promise.all([this.follows.open(), this.conceals.open(), this.follows.learn(shot.revision.document)]);
    this.take(shot.revision);
    this.saves.begin(shot.revision);
    this.item = this.items[0]?.id ?? '';
    if (this.cover) this.frame = this.cover.span.first;
    this.stop = listen((kind, what) => void this.heard(kind, what));
    void this.loadDeliveries().catch((e) => this.say(e));
    void this.checks.load().catch((e) => this.say(e));
    this.arrive();
  }

  close(): void {
    this.leave();
    this.stop();
    this.saves?.close();
    clearTimeout(this.idle);
    this.preparing?.abort();
    this.speed = 0;
  }

  /** Goes where the address points: ?item=…&frame=…&step=check. */
  private arrive(): void {
    const q = new URLSearchParams(location.search);
    const item = q.get('item');
    if (item && this.items.some((i) => i.id === item)) this.choose(item);
    if (q.get('step') === 'check') this.step = 'check';
    const f = Number(q.get('frame'));
    if (q.has('frame') && Number.isInteger(f)) this.seek(f);
  }

  private async heard(kind: string, id: string): Promise<void> {
    const shot = this.shot!;
    if ((kind === 'shot' && id === shot.id) || kind === 'source' || kind === 'programme' || kind === 'all') {
      if (kind === 'source' && id !== shot.source) return;
      await this.refresh();
    }
    if ((kind === 'look' && id === shot.id) || kind === 'all')
      this.looks = await ask(api.GET('/api/shots/{id}/looks', { params: { path: { id: shot.id } } }));
    if (kind === 'programme' || kind === 'all') await this.conceals.open();
    if (
      (kind === 'check' && id === shot.id) ||
      (kind === 'list' && id === shot.id) ||
      (kind === 'shot' && id === shot.id) ||
      kind === 'all'
    )
      await this.checks.load();
    if (kind === 'list' && id === shot.id) await this.refresh();
    if (kind === 'attempt') await this.follows.heard(id);
    if (kind === 'all') await this.follows.open();
    if (kind === 'delivery' || kind === 'all') await this.loadDeliveries();
  }

  /** Takes the shot as the server has it now. */
  async refresh(): Promise<void> {
    const now = await ask(api.GET('/api/shots/{id}', { params: { path: { id: this.shot!.id } } }));
    await this.follows.learn(now.revision.document);
    this.shot = now;
    this.saves.heard(now.revision);
    this.drawn++;
  }

  async loadDeliveries(): Promise<void> {
    const p = await ask(api.GET('/api/programmes/{id}', { params: { path: { id: this.shot!.programme } } }));
    this.deliveries = p.deliveries.filter((d) => d.shot === this.shot!.id);
  }

  /** Shows a revision that the server has. */
  private take(r: Revision): void {
    this.busy();
    this.revision = r;
    core.load(r.document);
    this.draft = undefined;
    this.loaded(r.document);
  }

  /** After the core's saved document has changed. */
  private loaded(d: Document = core.document()): void {
    this.document = d;
    this.drafts++;
    this.settled++;
    this.drawn++;
    const o = this.held?.outlines.find((o) => o.id === this.picked.outline);
    if (!o || this.picked.knots.some((k) => k >= o.knots.length)) this.picked = { outline: '', knots: [] };
    this.pins = this.pins.filter((f) => this.keys.includes(f));
  }

  /** After the core has learned more of what the document points at. */
  learned(): void {
    this.drafts++;
    this.settled++;
  }

  get last(): number {
    return (this.shot?.frames ?? 1) - 1;
  }
  get rate(): { num: number; den: number } {
    return this.shot!.sourceInfo.info.rate;
  }
  get shown(): number {
    return this.revision!.number;
  }
  get width(): number {
    return this.shot!.sourceInfo.info.width;
  }
  get height(): number {
    return this.shot!.sourceInfo.info.height;
  }
  get items(): Item[] {
    return this.shot?.items ?? [];
  }
  /** What is worked on: the item's cover, or a drawn holdout of it that is in hand. */
  get cover(): Cover | undefined {
    return this.holds.drawn ?? this.coverOf(this.item);
  }
  coverOf(item: string): Cover | undefined {
    return this.document?.covers.find((c) => c.item === item);
  }
  /** All covers as they stand at the frame. */
  at = $derived.by<Glance[]>(() => {
    void this.drafts;
    return this.document ? core.at(this.frame) : [];
  });
  /**
   * The frame that the card speaks of: while playing the one where it began, so
   * that numbers nobody can read cost no frame.
   */
  here = $derived.by<number>(() => (this.speed !== 0 && !this.steady ? this.begun : this.frame));
  /** The cover in hand at that frame. */
  held = $derived.by<Hand | undefined>(() => {
    void this.drafts;
    const c = this.cover;
    return c && core.hand(c.id, this.here);
  });
  /** What the louvre shows; it does not depend on the frame. */
  slats = $derived.by<Map<string, Slat>>(() => {
    void this.settled;
    return new Map(this.document ? core.slats().map((s) => [s.id, s]) : []);
  });
  /** The frames looked at and not changed since, by cover. */
  looked = $derived.by<Record<string, number[]>>(() => {
    void this.settled;
    return this.document ? core.looked(this.looks) : {};
  });
  get keys(): number[] {
    return this.slats.get(this.cover?.id ?? '')?.keys ?? [];
  }
  /** The frames that playing runs over: the span in hand when inside it. */
  get range(): [number, number] {
    const s = this.cover?.span;
    return s && s.first <= this.frame && this.frame <= s.last && s.last > s.first ? [s.first, s.last] : [0, this.last];
  }
  get shownLook(): Look {
    // What lies under the cover must be seen to be put right.
    return this.clean || this.follows.mending?.frame === this.frame ? 'clean' : this.look;
  }

  /** An outline half drawn is not left behind: it is closed or discarded with a word. */
  leave(): void {
    const d = this.drawing;
    if (!d?.open) return;
    if (d.whole && d.shape === 'path') {
      this.finish();
      this.error = 'The open path was closed where it was.';
    } else {
      this.drawing = undefined;
      this.error = `The open ${d.shape === 'corners' ? 'corners were' : 'path was'} discarded: ${d.knots.length === 1 ? 'one knot hides' : `${d.knots.length} knots hide`} nothing.`;
    }
  }

  private idle: ReturnType<typeof setTimeout> | undefined;
  private preparing: AbortController | undefined;
  /** After a pause in what the editor does, the covers are prepared for playing. */
  busy(): void {
    clearTimeout(this.idle);
    this.preparing?.abort();
    this.idle = setTimeout(() => {
      const spans = this.document?.covers.filter((c) => !c.off).map((c) => c.span) ?? [];
      if (this.speed !== 0 || this.saving || spans.length === 0) return;
      this.preparing = new AbortController();
      const span: [number, number] = [Math.min(...spans.map((s) => s.first)), Math.max(...spans.map((s) => s.last))];
      void this.frames.prepare(this.shown, this.frame, span, this.preparing.signal);
    }, 700);
  }

  // ---- Editing -----------------------------------------------------------

  /** Stops playing, so that what is said and changed is of the frame shown. */
  private rest(): void {
    if (this.speed !== 0) this.play(0);
  }

  /** Shows commands without saving them; the treated pixels follow as fast as they can. */
  show(commands: Command[]): void {
    this.busy();
    try {
      core.apply(commands);
    } catch (e) {
      this.say(e);
      return;
    }
    // What moves the cover shows in what the core says of the frame; the rest is read.
    if (commands.some((c) => !['place', 'reshape', 'fit'].includes(c.do)) && this.cover) {
      const c = core.cover(this.cover.id);
      this.document = { ...this.document!, covers: this.document!.covers.map((x) => (x.id === c.id ? c : x)) };
    }
    this.drafts++;
    this.pending = commands;
    if (this.step === 'conceal') this.conceals.look([...this.saves.waiting, ...commands]);
    void this.preview();
  }

  private async preview(): Promise<void> {
    if (this.previewing) return;
    this.previewing = true;
    while (this.pending) {
      const commands = [...this.saves.waiting, ...this.pending];
      this.pending = undefined;
      const frame = this.frame;
      const matte = this.look === 'matte';
      try {
        const p = await patch(
          fetch(`/api/shots/${this.shot!.id}/preview`, {
            method: 'POST',
            headers: { 'Content-Type': 'application/json' },
            body: JSON.stringify({ base: this.saves.base, commands, frame, full: this.full, matte }),
          }),
        );
        this.draft = { frame, patch: p, matte };
        this.drawn++;
      } catch {
        // The next pointer move asks again; saving reports what is wrong.
      }
    }
    this.previewing = false;
  }

  /** Saves commands as a revision. The bench shows them at once. */
  save(commands: Command[]): Promise<void> {
    this.busy();
    this.pending = undefined;
    try {
      core.apply(commands);
    } catch (e) {
      this.say(e);
      this.drop();
      return Promise.resolve();
    }
    core.keep();
    this.error = '';
    this.loaded();
    return this.saves.add({ commands });
  }

  /** The revision that what is not saved yet builds on. */
  get saved(): number {
    return this.saves.base;
  }
  /** Waits until everything is saved. */
  async settle(): Promise<void> {
    while (this.saving) await new Promise((r) => setTimeout(r, 30));
  }

  undo = () => (this.revision?.canUndo || this.saving) && this.saves.add({ step: 'undo' });
  redo = () => this.revision?.canRedo && this.saves.add({ step: 'redo' });
  jump = (state: number) => this.saves.add({ jump: state });
  resolve = (mine: boolean) => this.saves.resolve(mine);

  async loadEdits(): Promise<void> {
    this.edits = await ask(api.GET('/api/shots/{id}/edits', { params: { path: { id: this.shot!.id } } }));
  }

  /** Drops what was only shown. */
  drop(): void {
    this.pending = undefined;
    this.draft = undefined;
    core.apply([]);
    this.loaded();
  }

  say(e: unknown): void {
    this.error = e instanceof Error ? e.message : String(e);
  }

  async addItem(name: string, kind: Item['kind']): Promise<void> {
    try {
      const it = await ask(
        api.POST('/api/shots/{id}/items', { params: { path: { id: this.shot!.id } }, body: { name, kind } }),
      );
      this.shot = { ...this.shot!, items: [...this.items.filter((i) => i.id !== it.id), it] };
      this.choose(it.id);
      this.step = 'outline';
      this.takeUp('box');
    } catch (e) {
      this.say(e);
    }
  }

  /** Takes an item in hand. */
  choose(item: string): void {
    if (item === this.item) return;
    this.leave();
    this.item = item;
    this.holds.close();
    if (this.conceals.other) this.conceals.choose(false);
    this.conceals.through = undefined;
    this.conceals.said = '';
    this.picked = { outline: '', knots: [] };
    this.pins = [];
    this.adding = false;
    this.follows.apart = undefined;
    this.follows.mending = undefined;
  }

  /** Takes up a tool. */
  takeUp(t: Tool): void {
    this.leave();
    this.play(0);
    this.tool = t;
    this.drawing = undefined;
    this.error = '';
    this.follows.mending = undefined;
    this.holds.drawing = false;
    if (t === 'surface' || t === 'points') this.step = 'follow';
    else if (t === 'pick') this.go('conceal');
  }

  /** Goes to a step. Concealing is about the item's cover; a holdout conceals nothing. */
  go(step: Step): void {
    if (step === 'conceal') this.holds.close();
    if (this.tool === 'brush') this.tool = 'move';
    this.step = step;
  }

  // ---- Outlines ----------------------------------------------------------

  /** What is drawn becomes a cover, one more outline of it, or its place at this frame. */
  finish(): void {
    const d = this.drawing;
    const it = this.items.find((i) => i.id === this.item);
    this.drawing = undefined;
    if (!d || !it) return;
    if (!d.whole) {
      this.error = 'That outline is too small to hide anything; drag from one corner to the other.';
      return;
    }
    if (this.tool === 'surface') {
      this.tool = 'move';
      this.follows.apart = { frame: this.frame, surface: d.knots.map((k) => k.p), points: false };
      return;
    }
    if (this.holds.drawing) {
      this.holds.finish(d.shape, d.knots);
      return;
    }
    const c = this.cover;
    const box = core.path(d.knots);
    const outline = core.outline(this.fresh(), d.shape, this.frame, box.min.x, box.min.y, box.max.x, box.max.y);
    if (d.shape === 'corners' || d.shape === 'path') outline.keys[0]!.knots = d.knots;
    if (!c) {
      const middle = { x: (box.min.x + box.max.x) / 2, y: (box.min.y + box.max.y) / 2 };
      const cover: Cover = {
        id: crypto.randomUUID(),
        item: it.id,
        name: it.name,
        span: { first: 0, last: this.last },
        outlines: [outline],
        motion: { pivot: middle, keys: [{ frame: this.frame, move: { x: 0, y: 0 }, turn: 0, size: { x: 1, y: 1 } }] },
        grow: 0,
        soften: { across: 4, down: 4 },
        treatments: [core.treatment('t1', 'blur')],
      };
      this.tool = 'move';
      const style = this.conceals.styleFor(it.kind);
      void this.save([
        { do: 'add', new: cover },
        ...(style ? [{ do: 'style' as const, cover: cover.id, id: style.id, style: style.style }] : []),
      ]);
      return;
    }
    if (this.adding || d.shape === 'path') {
      this.tool = 'move';
      this.adding = false;
      void this.save([{ do: 'addOutline', cover: c.id, frame: this.frame, outline }]);
      return;
    }
    const o = this.held!.outlines;
    if (d.shape === 'corners' && o.length === 1 && o[0]!.knots.length === 4 && o[0]!.shape === 'corners') {
      void this.save([
        {
          do: 'reshape',
          cover: c.id,
          id: o[0]!.id,
          frame: this.frame,
          scope: this.shapeScope,
          knots: aligned(d.knots, o[0]!.knots),
        },
      ]);
      return;
    }
    void this.save([
      { do: 'fit', cover: c.id, frame: this.frame, scope: this.shapeScope, rect: { min: box.min, max: box.max } },
    ]);
  }

  /** Gives the cover in hand keys of a file: of place (CSV), or all of another cover's (JSON). */
  readKeys(text: string): void {
    const c = this.cover;
    if (!c) return;
    if (text.trimStart().startsWith('{')) {
      void this.save([{ do: 'replace', cover: c.id, new: core.coverIn(text) }]);
      return;
    }
    const keys = core.keysIn(text);
    const frame = keys[0]!.frame;
    const given = new Set(keys.map((k) => k.frame));
    const gone = c.motion.keys.map((k) => k.frame).filter((f) => !given.has(f));
    void this.save([
      {
        do: 'paste',
        cover: c.id,
        frame,
        keys: keys.map(({ frame: f, ease, ...placement }) => ({
          offset: f - frame,
          lane: 'placement',
          ease,
          placement,
        })),
      },
      ...(gone.length ? [{ do: 'removeKeys' as const, cover: c.id, frames: gone, lanes: ['placement'] }] : []),
    ]);
  }

  /** Adds the outlines of a file to the cover in hand. */
  readOutline(text: string): void {
    const c = this.cover;
    if (!c) return;
    const used = new Set(c.outlines.map((o) => o.id));
    const commands = core.outlineIn(text).map((knots): Command => {
      let n = 1;
      while (used.has(`o${n}`)) n++;
      used.add(`o${n}`);
      return {
        do: 'addOutline',
        cover: c.id,
        frame: this.frame,
        outline: { id: `o${n}`, shape: 'path', keys: [{ frame: this.frame, knots }] },
      };
    });
    void this.save(commands);
  }

  private fresh(): string {
    const used = new Set(this.cover?.outlines.map((o) => o.id));
    for (let i = 1; ; i++) if (!used.has(`o${i}`)) return `o${i}`;
  }

  /** For the keyboard: draws in the middle of the view, to be moved from there. */
  drawInTheMiddle(): void {
    if (this.tool === 'move' || this.tool === 'pick' || this.tool === 'points' || this.tool === 'brush') return;
    const c = this.centre ?? { x: this.width / 2, y: this.height / 2 };
    const [w, h] = [this.width / 10, this.height / 10];
    this.drawing = new Drawing(this.tool === 'surface' ? 'corners' : this.tool);
    this.drawing.drag({ x: c.x - w, y: c.y - h }, { x: c.x + w, y: c.y + h });
    this.finish();
  }

  place(p: Placement): Command {
    return { do: 'place', cover: this.cover!.id, frame: this.frame, scope: this.shapeScope, placement: p };
  }

  reshape(outline: string, knots: Knot[]): Command {
    return { do: 'reshape', cover: this.cover!.id, id: outline, frame: this.frame, scope: this.shapeScope, knots };
  }

  /** Moves the knots picked, or else the whole cover, by so many pixels. */
  nudge(dx: number, dy: number): void {
    this.rest();
    const h = this.held;
    if (!h) return;
    const o = h.outlines.find((o) => o.id === this.picked.outline);
    if (o && this.picked.knots.length) {
      void this.save([
        this.reshape(
          o.id,
          o.knots.map((k, i) => (this.picked.knots.includes(i) ? { ...k, p: { x: k.p.x + dx, y: k.p.y + dy } } : k)),
        ),
      ]);
      return;
    }
    const d = this.wayBack(h.centre, { x: h.centre.x + dx, y: h.centre.y + dy });
    this.change((p) => ({ ...p, move: { x: p.move.x + d.x, y: p.move.y + d.y } }));
  }

  /** A way on the picture as one where the cover was drawn, before its track carries it. */
  wayBack(from: Point, to: Point): Point {
    const m = this.held!.back;
    const [a, b] = [carry(m, from), carry(m, to)];
    return { x: b.x - a.x, y: b.y - a.y };
  }

  change(f: (p: Placement) => Placement): void {
    this.rest();
    if (this.held) void this.save([this.place(f(this.held.placement))]);
  }

  /** A placement of the cover in hand with another turn or size, its middle where it is. */
  posed(turn: number, size: Point): Placement {
    const h = this.held!;
    const p = h.placement;
    const pivot = this.cover!.motion.pivot;
    const swing = (v: Point, deg: number) => {
      const [s, c] = [Math.sin((deg * Math.PI) / 180), Math.cos((deg * Math.PI) / 180)];
      return { x: c * v.x - s * v.y, y: s * v.x + c * v.y };
    };
    // The box's middle from the pivot, as drawn and then as posed.
    const v = swing({ x: h.home.x - pivot.x - p.move.x, y: h.home.y - pivot.y - p.move.y }, -p.turn);
    const w = swing({ x: (v.x / p.size.x) * size.x, y: (v.y / p.size.y) * size.y }, turn);
    return { turn, size, move: { x: h.home.x - pivot.x - w.x, y: h.home.y - pivot.y - w.y } };
  }

  turnBy(degrees: number): void {
    this.rest();
    const p = this.held?.placement;
    if (p) this.change(() => this.posed(p.turn + degrees, p.size));
  }

  sizeBy(x: number, y: number): void {
    this.rest();
    const p = this.held?.placement;
    if (p) this.change(() => this.posed(p.turn, { x: p.size.x * x, y: p.size.y * y }));
  }

  onKnots(command: Omit<Command, 'cover' | 'id' | 'indexes'>): void {
    this.rest();
    if (!this.cover || !this.picked.knots.length) return;
    void this.save([
      { ...command, cover: this.cover.id, id: this.picked.outline, indexes: this.picked.knots } as Command,
    ]);
  }

  /** A command for the cover in hand. */
  onCover(command: Omit<Command, 'cover'>): void {
    this.rest();
    if (this.cover) void this.save([{ ...command, cover: this.cover.id } as Command]);
  }

  // ---- Keys, span and values ---------------------------------------------

  setSpan(end: 'first' | 'last', frame = this.frame): void {
    const c = this.cover;
    if (!c || c.span[end] === frame) return;
    const span = { ...c.span, [end]: frame };
    if (span.first > span.last) {
      this.error =
        end === 'first' ? 'The span cannot begin after its end.' : 'The span cannot end before its beginning.';
      return;
    }
    this.onCover({ do: 'span', span });
  }

  treat(treatments: Treatment[], live = false): void {
    if (!this.cover) return;
    const cmd: Command = { do: 'treat', cover: this.cover.id, treatments };
    if (live) this.show([cmd]);
    else void this.save([cmd]);
  }

  /** Sets a number of the cover: for the whole span, or where it is keyed as the switch says. */
  set(lanes: string[], number: number, live = false): void {
    this.rest();
    const h = this.held;
    if (!h) return;
    const commands = lanes.map((lane): Command => {
      const keyed = h.lanes.some((l) => l.name === lane);
      return { do: 'set', cover: h.id, lane, number, frame: this.frame, scope: keyed ? this.valueScope : 'span' };
    });
    if (live) this.show(commands);
    else void this.save(commands);
  }

  /** Keys what is there at this frame, or takes that key away. */
  toggleKey(lane: string): void {
    this.rest();
    const h = this.held;
    if (!h) return;
    if (h.keyed.includes(lane)) this.onCover({ do: 'removeKeys', frames: [this.frame], lanes: [lane] });
    else this.onCover({ do: 'addKey', frame: this.frame, lane });
  }

  keyState(lane: string): KeyState {
    const h = this.held;
    return h?.keyed.includes(lane) ? 'here' : h?.lanes.some((l) => l.name === lane) ? 'keyed' : 'none';
  }

  /** How the frame lies to the keys, and what a drag here will do. */
  get between(): string {
    const h = this.held;
    if (!h) return '';
    const f = this.here;
    const moving = h.lanes.filter((l) => l.name === 'placement' || l.name.startsWith('outline/'));
    const frames = [...new Set(moving.flatMap((l) => l.frames))].sort((a, b) => a - b);
    if (!h.inside) return 'Outside the span.';
    if (this.cover?.track && frames.length <= 1)
      return this.shapeScope === 'span'
        ? 'On its track. A drag moves the cover on the surface, in all frames alike.'
        : `On its track, with no correction. A drag here corrects it at f ${f}, and from f ${frames[0] ?? f} on grows towards that.`;
    if (this.shapeScope === 'span') return 'A drag changes the whole span: all keys alike.';
    if (frames.includes(f)) return `Key at f ${f}: a drag changes this key.`;
    const before = frames.findLast((k) => k < f);
    const after = frames.find((k) => k > f);
    const adds = `A drag adds a key at f ${f}.`;
    if (before === undefined && after === undefined) return `No keys: the cover rests where it was drawn. ${adds}`;
    if (before === undefined) return `Before the first key (f ${after}), which holds backward. ${adds}`;
    if (after === undefined) return `After the last key (f ${before}), which holds. ${adds}`;
    const lane = moving.find((l) => l.frames.includes(before))!;
    const how = { '': 'moves evenly', held: 'holds the earlier', eased: 'eases' }[
      lane.eases[lane.frames.indexOf(before)]!
    ];
    return `Between keys f ${before} and f ${after}: ${how}. ${adds}`;
  }

  key(direction: 1 | -1): void {
    const k = direction > 0 ? this.keys.find((f) => f > this.frame) : this.keys.findLast((f) => f < this.frame);
    if (k !== undefined) this.seek(k);
  }

  /** The keys that are picked, or else the one at this frame. */
  get chosen(): number[] {
    return this.pins.length ? this.pins : this.keys.includes(this.here) ? [this.here] : [];
  }

  removeKeys(): void {
    this.rest();
    const frames = this.chosen;
    this.pins = [];
    if (frames.length) this.onCover({ do: 'removeKeys', frames });
  }

  moveKeys(frames: number[], by: number): void {
    if (by === 0 || !this.cover) return;
    this.pins = this.pins.length ? this.pins.map((f) => f + by) : [];
    this.onCover({ do: 'moveKeys', frames, by });
  }

  ease(ease: Ease): void {
    this.rest();
    if (this.chosen.length) this.onCover({ do: 'ease', frames: this.chosen, ease });
  }

  copyKeys(): void {
    this.rest();
    if (!this.cover) return;
    const frames = this.chosen.length ? this.chosen : [this.frame];
    this.copied = core.copy(this.cover.id, frames);
  }

  paste(all = false): void {
    if (this.copied.length)
      this.onCover(all ? { do: 'pasteAll', keys: this.copied } : { do: 'paste', frame: this.frame, keys: this.copied });
  }

  // ---- Looking -----------------------------------------------------------

  /** The longest stretch of the span that was not looked at since the last change. */
  get unseen(): [number, number] | undefined {
    return this.cover && this.longest(new Set(this.looked[this.cover.id]));
  }

  private longest(seen: Set<number>): [number, number] | undefined {
    const c = this.cover!;
    let best: [number, number] | undefined;
    for (let f = c.span.first, from = f; f <= c.span.last + 1; f++) {
      if (f <= c.span.last && !seen.has(f)) continue;
      if (f > from && (!best || f - from > best[1] - best[0] + 1)) best = [from, f - 1];
      from = f + 1;
    }
    return best;
  }

  /** Where fitting by halves goes from here: the span's ends, then the middle of the longest stretch. */
  get nextToFit(): number | undefined {
    const c = this.cover;
    if (!c) return undefined;
    const seen = new Set(this.looked[c.id]).add(this.here);
    for (const end of [c.span.first, c.span.last]) if (!seen.has(end)) return end;
    const gap = this.longest(seen);
    return gap && Math.floor((gap[0] + gap[1]) / 2);
  }

  /** The cover is right on this frame: enters that, and goes on by halves. */
  fits(): void {
    const c = this.cover;
    if (!c) return;
    this.leave();
    this.play(0);
    if (this.held?.inside) {
      const frames = { [this.frame]: core.digest(c.id, this.frame) };
      this.looks = { ...this.looks, [c.id]: { ...this.looks[c.id], ...frames } };
      void ask(
        api.POST('/api/shots/{id}/looks', { params: { path: { id: this.shot!.id } }, body: { cover: c.id, frames } }),
      ).catch((e) => this.say(e));
    }
    const to = this.nextToFit; // this frame counts as seen
    if (to === undefined) this.error = 'Every frame of the span has been looked at since the last change.';
    else this.seek(to);
  }

  setSteady(on: boolean): void {
    this.steady = on;
    if (on && this.zoom === 0) this.zoomToItem();
  }

  /** Shows the cover in hand as large as suits it. */
  zoomToItem(): void {
    this.rest();
    const h = this.held;
    if (!h) return;
    this.zoom = Math.min(Math.max(Math.min((0.5 * this.room.w) / h.size.x, (0.5 * this.room.h) / h.size.y), 0.25), 8);
    if (this.zoom >= 2) this.zoom = Math.floor(this.zoom);
    this.centre = h.centre;
  }

  nextItem(way: 1 | -1): void {
    const i = this.items.findIndex((x) => x.id === this.item);
    if (this.items.length) this.choose(this.items[(i + way + this.items.length) % this.items.length]!.id);
  }

  async deliver(preset: 'review' | 'archive' | 'still', name: string): Promise<void> {
    try {
      await ask(
        api.POST('/api/shots/{id}/deliveries', { params: { path: { id: this.shot!.id } }, body: { preset, name } }),
      );
      await this.loadDeliveries();
    } catch (e) {
      this.say(e);
    }
  }

  async cancel(id: string): Promise<void> {
    try {
      await ask(api.POST('/api/deliveries/{id}/cancel', { params: { path: { id } } }));
    } catch (e) {
      this.say(e);
    }
  }
}

/** The same four corners, begun and ordered so that each stays nearest to what it was. */
function aligned(knots: Knot[], was: Knot[]): Knot[] {
  const far = (ks: Knot[]) => ks.reduce((s, k, i) => s + Math.hypot(k.p.x - was[i]!.p.x, k.p.y - was[i]!.p.y), 0);
  const middle = (ks: Knot[]) => ({
    x: ks.reduce((s, k) => s + k.p.x, 0) / 4,
    y: ks.reduce((s, k) => s + k.p.y, 0) / 4,
  });
  const [a, b] = [middle(knots), middle(was)];
  const home = knots.map((k) => ({ ...k, p: { x: k.p.x - a.x + b.x, y: k.p.y - a.y + b.y } }));
  let best = { d: Infinity, ks: knots };
  for (const way of [false, true]) {
    for (let i = 0; i < 4; i++) {
      const turn = <T>(ks: T[]) => [...ks.slice(i), ...ks.slice(0, i)];
      const order = <T>(ks: T[]) => turn(way ? ks.toReversed() : ks);
      const d = far(order(home));
      if (d < best.d) best = { d, ks: order(knots) };
    }
  }
  return best.ks;
}
