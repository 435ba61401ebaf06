// The bench's state: one shot, its newest revision, the frame, the item in hand.
import { api, ask, listen, patch, Problem, type Command, type Cover, type Delivery, type Document, type Item, type Patch, type Placement, type Revision, type Shot, type Treatment } from './api';
import { core, loadCore, type CoverAt } from './core';
import { Frames } from './frames';

export type Tool = 'move' | 'box' | 'ellipse' | 'pick';
export type Step = 'outline' | 'follow' | 'conceal';

export class Bench {
  shot = $state<Shot>();
  document = $state.raw<Document>();
  private edits = $state(0); // raised when the core's document changes
  revision = $state.raw<Revision>();
  deliveries = $state.raw<Delivery[]>([]);
  frame = $state(0);
  item = $state(''); // in hand
  tool = $state<Tool>('move');
  step = $state<Step>('outline');
  zoom = $state(0); // 0 fits
  clean = $state(false);
  bare = $state(false); // without overlays
  speed = $state(0); // frames a frame time, 0 paused
  error = $state('');
  saving = $state(0);
  /** What a drag shows in place of the saved patch. */
  draft = $state.raw<{ frame: number; patch: Patch }>();
  /** Raised when pictures have come in or covers have changed. */
  drawn = $state(0);
  dropped = 0;
  played = 0;
  frames!: Frames;

  private stop: () => void = () => {};
  private pending: Command[] | undefined;
  private previewing = false;
  private chain: Promise<void> = Promise.resolve();

  async open(id: string): Promise<void> {
    await loadCore();
    const shot = await ask(api.GET('/api/shots/{id}', { params: { path: { id } } }));
    this.shot = shot;
    const i = shot.sourceInfo.info;
    core.clock(i.rate.num, i.rate.den, i.timecode);
    this.frames = new Frames(shot.source, shot.id, this.last, () => this.drawn++);
    this.take(shot.revision);
    this.item = this.items[0]?.id ?? '';
    if (this.cover) this.frame = Math.max(this.cover.span.first, 0);
    await this.loadDeliveries();
    this.stop = listen((kind, what) => void this.heard(kind, what));
  }

  close(): void {
    this.stop();
    clearTimeout(this.idle);
    clearTimeout(this.later);
    this.preparing?.abort();
    this.speed = 0;
  }

  private async heard(kind: string, id: string): Promise<void> {
    const shot = this.shot!;
    if ((kind === 'shot' && id === shot.id) || kind === 'source' || kind === 'programme' || kind === 'all') {
      if (kind === 'source' && id !== shot.source) return;
      const now = await ask(api.GET('/api/shots/{id}', { params: { path: { id: shot.id } } }));
      this.shot = now;
      if (now.revision.number > (this.revision?.number ?? 0) && this.saving === 0) this.take(now.revision);
      this.drawn++;
    }
    if (kind === 'delivery' || kind === 'all') await this.loadDeliveries();
  }

  async loadDeliveries(): Promise<void> {
    const p = await ask(api.GET('/api/programmes/{id}', { params: { path: { id: this.shot!.programme } } }));
    this.deliveries = p.deliveries.filter((d) => d.shot === this.shot!.id);
  }

  private take(r: Revision): void {
    this.busy();
    core.load(r.document);
    this.revision = r;
    this.document = r.document;
    this.edits++;
    this.drawn++;
  }

  get last(): number {
    return (this.shot?.sourceInfo.frames ?? 1) - 1;
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
  get cover(): Cover | undefined {
    return this.document?.covers.find((c) => c.item === this.item);
  }
  coverOf(item: string): Cover | undefined {
    return this.document?.covers.find((c) => c.item === item);
  }
  /** All covers as they stand at the frame. */
  at = $derived.by<CoverAt[]>(() => {
    void this.edits;
    return this.document ? core.at(this.frame) : [];
  });
  get inHand(): CoverAt | undefined {
    return this.at.find((c) => c.id === this.cover?.id);
  }
  /** The frames with keys, by cover; they do not depend on the frame. */
  keysOf = $derived.by<Map<string, number[]>>(() => {
    void this.edits;
    return new Map(this.document ? core.at(0).map((c) => [c.id, c.keys]) : []);
  });
  get keys(): number[] {
    return this.keysOf.get(this.cover?.id ?? '') ?? [];
  }

  seek(f: number): void {
    this.busy();
    const by = f - this.frame;
    this.frame = Math.min(Math.max(Math.round(f), 0), this.last);
    if (this.speed !== 0) return;
    // Stepping wants the next frames at once; after a jump the frame itself comes first.
    clearTimeout(this.later);
    const ahead = () => this.frames.ahead(this.revision!.number, this.frame, by === -1 ? -1 : 1, [0, this.last]);
    if (Math.abs(by) === 1) ahead();
    else this.later = setTimeout(ahead, 200);
  }
  private later: ReturnType<typeof setTimeout> | undefined;

  private idle: ReturnType<typeof setTimeout> | undefined;
  private preparing: AbortController | undefined;
  /** Called at everything the editor does; after a pause the covers are prepared. */
  private busy(): void {
    clearTimeout(this.idle);
    this.preparing?.abort();
    this.idle = setTimeout(() => {
      const spans = this.document?.covers.filter((c) => !c.off).map((c) => c.span) ?? [];
      if (this.speed !== 0 || this.saving || spans.length === 0) return;
      this.preparing = new AbortController();
      const span: [number, number] = [Math.min(...spans.map((s) => s.first)), Math.max(...spans.map((s) => s.last))];
      void this.frames.prepare(this.revision!.number, this.frame, span, this.preparing.signal);
    }, 700);
  }

  /** Shows commands without saving them; the treated pixels follow as fast as they can. */
  show(commands: Command[]): void {
    this.busy();
    try {
      core.apply(commands);
      // A placement shows in what the core says of the frame; other changes are read.
      if (commands.some((c) => c.do !== 'place')) this.document = core.document();
      this.edits++;
    } catch (e) {
      this.say(e);
      return;
    }
    this.pending = commands;
    void this.preview();
  }

  private async preview(): Promise<void> {
    if (this.previewing) return;
    this.previewing = true;
    while (this.pending) {
      const commands = this.pending;
      this.pending = undefined;
      const frame = this.frame;
      try {
        const p = await patch(
          fetch(`/api/shots/${this.shot!.id}/preview`, {
            method: 'POST',
            headers: { 'Content-Type': 'application/json' },
            body: JSON.stringify({ base: this.revision!.number, commands, frame }),
          }),
        );
        this.draft = { frame, patch: p };
        this.drawn++;
      } catch {
        // The next pointer move asks again; saving reports what is wrong.
      }
    }
    this.previewing = false;
  }

  /** Saves commands as a revision. The bench shows them at once. */
  save(commands: Command[]): Promise<void> {
    this.pending = undefined;
    try {
      core.apply(commands);
      this.document = core.document();
      this.edits++;
    } catch (e) {
      this.say(e);
      this.drop();
      return Promise.resolve();
    }
    return this.change((base) =>
      ask(api.POST('/api/shots/{id}/edits', { params: { path: { id: this.shot!.id } }, body: { base, commands } })),
    );
  }

  undo = () => this.revision?.canUndo && this.change((base) => ask(api.POST('/api/shots/{id}/undo', { params: { path: { id: this.shot!.id } }, body: { base } })));
  redo = () => this.revision?.canRedo && this.change((base) => ask(api.POST('/api/shots/{id}/redo', { params: { path: { id: this.shot!.id } }, body: { base } })));

  private change(call: (base: number) => Promise<Revision>): Promise<void> {
    this.saving++;
    this.chain = this.chain.then(async () => {
      try {
        const r = await call(this.revision!.number);
        this.error = '';
        // The patch of the new revision is there before the old one goes.
        this.revision = { ...this.revision!, number: r.number };
        await this.frames.patch(r.number, this.frame).wait;
        this.take(r);
      } catch (e) {
        this.say(e);
        if (e instanceof Problem && e.status === 409) {
          const now = await ask(api.GET('/api/shots/{id}', { params: { path: { id: this.shot!.id } } }));
          this.take(now.revision);
        } else {
          this.drop();
        }
      } finally {
        this.saving--;
        this.draft = undefined;
        this.drawn++;
      }
    });
    return this.chain;
  }

  /** Drops what was only shown. */
  drop(): void {
    this.pending = undefined;
    this.draft = undefined;
    if (this.revision) this.take(this.revision);
  }

  say(e: unknown): void {
    this.error = e instanceof Error ? e.message : String(e);
  }

  async addItem(name: string, kind: Item['kind']): Promise<void> {
    try {
      const it = await ask(api.POST('/api/shots/{id}/items', { params: { path: { id: this.shot!.id } }, body: { name, kind } }));
      this.shot = { ...this.shot!, items: [...this.items.filter((i) => i.id !== it.id), it] };
      this.item = it.id;
      this.step = 'outline';
      this.tool = 'box';
    } catch (e) {
      this.say(e);
    }
  }

  /** Adds the cover of the item in hand, outlined by a rectangle of the picture. */
  addCover(shape: 'box' | 'ellipse', x0: number, y0: number, x1: number, y1: number): Promise<void> {
    const it = this.items.find((i) => i.id === this.item)!;
    const cover: Cover = {
      id: crypto.randomUUID(),
      item: it.id,
      name: it.name,
      span: { first: 0, last: this.last },
      outlines: [core.outline('o1', shape, x0, y0, x1, y1)],
      motion: { pivot: { x: (x0 + x1) / 2, y: (y0 + y1) / 2 }, keys: [{ frame: this.frame, move: { x: 0, y: 0 }, turn: 0, size: { x: 1, y: 1 } }] },
      grow: 0,
      soften: { across: 4, down: 4 },
      treatments: [core.treatment('t1', 'blur')],
    };
    this.tool = 'move';
    return this.save([{ do: 'add', new: cover }]);
  }

  place(p: Placement): Command {
    return { do: 'place', cover: this.cover!.id, frame: this.frame, placement: p };
  }

  /** Moves, turns or sizes the cover in hand at this frame, by amounts. */
  nudge(dx: number, dy: number): void {
    const c = this.inHand;
    if (!c) return;
    void this.save([this.place({ ...c.placement, move: { x: c.placement.move.x + dx, y: c.placement.move.y + dy } })]);
  }

  setSpan(end: 'first' | 'last'): void {
    const c = this.cover;
    if (!c) return;
    const span = { ...c.span, [end]: this.frame };
    if (span.first > span.last) {
      this.error = end === 'first' ? 'The span cannot begin after its end.' : 'The span cannot end before its beginning.';
      return;
    }
    void this.save([{ do: 'span', cover: c.id, span }]);
  }

  treat(treatments: Treatment[], live = false): void {
    const c = this.cover;
    if (!c) return;
    const cmd: Command = { do: 'treat', cover: c.id, treatments };
    if (live) this.show([cmd]);
    else void this.save([cmd]);
  }

  key(direction: 1 | -1): void {
    const k = direction > 0 ? this.keys.find((f) => f > this.frame) : this.keys.findLast((f) => f < this.frame);
    if (k !== undefined) this.seek(k);
  }

  removeKey(): void {
    if (this.cover && this.inHand?.keyed) void this.save([{ do: 'removeKey', cover: this.cover.id, frame: this.frame }]);
  }

  moveKey(from: number, to: number): void {
    if (this.cover && from !== to) void this.save([{ do: 'moveKey', cover: this.cover.id, frame: from, to }]);
  }

  /** The frames that playing runs over: the span in hand when inside it. */
  get range(): [number, number] {
    const s = this.cover?.span;
    return s && s.first <= this.frame && this.frame <= s.last && s.last > s.first ? [s.first, s.last] : [0, this.last];
  }

  play(speed: number): void {
    this.busy();
    if (speed === 0 || this.speed !== 0) {
      const was = this.speed;
      this.speed = speed;
      if (was !== 0) return;
    }
    this.speed = speed;
    if (speed === 0) return;
    const range = this.range;
    const rate = this.shot!.sourceInfo.info.rate;
    const period = (1000 * rate.den) / rate.num;
    const number = () => this.revision!.number;
    this.frames.ahead(number(), this.frame, Math.sign(speed), range);
    let from = performance.now();
    let at = this.frame;
    let begun = false;
    const tick = (now: number) => {
      if (this.speed === 0) return;
      const step = Math.sign(this.speed);
      const len = range[1] - range[0] + 1;
      const next = (f: number, n: number) => range[0] + ((((f - range[0] + n) % len) + len) % len);
      if (!begun) {
        // A few frames are there before the clock starts.
        if (this.frames.ready(number(), [1, 2, 3, 5, 8, 11].map((n) => next(at, n * step)))) {
          begun = true;
          from = now;
        }
        requestAnimationFrame(tick);
        return;
      }
      const due = Math.floor(((now - from) * Math.abs(this.speed)) / period + 0.25);
      if (due > 0) {
        const want = next(at, step * due);
        if (this.frames.have(number(), want)) {
          this.played += due;
          this.dropped += due - 1;
          at = want;
          from += (due * period) / Math.abs(this.speed);
          this.frame = at;
          this.frames.ahead(number(), at, step, range);
        }
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
  }

  async deliver(preset: 'review' | 'archive', name: string): Promise<void> {
    try {
      await ask(api.POST('/api/shots/{id}/deliveries', { params: { path: { id: this.shot!.id } }, body: { preset, name } }));
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

/** The number of a value where it is constant, or of its first key. */
export function constant(v: Treatment['strength'] | undefined): number {
  return typeof v === 'number' ? v : ((v as { keys: { value: number }[] } | undefined)?.keys[0]?.value ?? 0);
}
