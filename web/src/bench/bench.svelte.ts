// The bench: its parts, put together. What a part needs it is given here; no part knows
// the bench. Each step of the work has its state and its card in a folder of its own.
import { api, ask, listen, type Item, type Shot } from '../api/api';
import { core, loadCore } from '../core/core';
import { Attempts } from './attempts.svelte';
import { Checking } from './check/checking.svelte';
import { Concealing } from './conceal/concealing.svelte';
import { Deliveries } from './deliver/deliveries.svelte';
import { Following } from './follow/following.svelte';
import { FoundHere } from './found/found.svelte';
import { Frames } from './frames';
import { Holdouts } from './holdout/holdouts.svelte';
import { Keying } from './keying.svelte';
import { Looked } from './looked.svelte';
import { Markers } from './markers.svelte';
import { Notice } from './notice.svelte';
import { Outlining } from './outline/outlining.svelte';
import { Playhead } from './playhead.svelte';
import { Selection } from './selection.svelte';
import { EditingSession, type Stage } from './session.svelte';
import { OpenShot } from './shot.svelte';
import { Sounding } from './sound/sounding.svelte';
import { Steps } from './steps.svelte';
import { Scale } from './timeline/scale.svelte';
import { Things } from './things/things.svelte';
import { Toolbox } from './toolbox.svelte';
import { Viewport } from './viewport.svelte';

/** How long the editor pauses before the covers are prepared for playing, ms. */
const pause = 700;

export class Bench {
  notice = new Notice();
  shot = new OpenShot();
  viewport = new Viewport();
  scale = new Scale(() => this.shot.last);
  playhead: Playhead;
  session: EditingSession;
  selection: Selection;
  toolbox: Toolbox;
  keying: Keying;
  looked: Looked;
  attempts: Attempts;
  steps: Steps;
  outlining: Outlining;
  following: Following;
  holdouts: Holdouts;
  concealing: Concealing;
  checking: Checking;
  deliveries: Deliveries;
  things: Things;
  markers: Markers;
  sounding: Sounding;
  found: FoundHere;

  private stop: () => void = () => {};
  private idle: ReturnType<typeof setTimeout> | undefined;
  private preparing: AbortController | undefined;

  constructor(private id: string) {
    const { notice, shot, viewport } = this;
    this.playhead = new Playhead(this.clip());
    const session = (this.session = new EditingSession(id, notice, this.stage()));
    const { playhead } = this;
    const selection = (this.selection = new Selection(shot, session, playhead, viewport));
    const toolbox = (this.toolbox = new Toolbox(playhead, notice));
    const keying = (this.keying = new Keying(session, playhead, selection, notice));
    this.looked = new Looked(session, playhead, selection, notice);
    const attempts = (this.attempts = new Attempts(session, notice));
    const steps = (this.steps = new Steps(selection, toolbox));
    const concealing = new Concealing(shot, session, playhead, selection, viewport, notice);
    this.concealing = concealing;
    const styleFor = (kind: Item['kind']) => concealing.styleFor(kind);
    this.outlining = new Outlining(shot, session, playhead, selection, keying, toolbox, styleFor);
    const last = () => shot.last;
    this.following = new Following(last, session, playhead, selection, keying, attempts, notice, toolbox);
    this.holdouts = new Holdouts(session, playhead, selection, steps, toolbox, attempts, notice);
    const correctTrack = () => this.following.correctHere();
    this.checking = new Checking(shot, session, playhead, selection, steps, notice, correctTrack);
    this.deliveries = new Deliveries(shot, notice);
    this.markers = new Markers(session, playhead);
    this.things = new Things(shot, session, playhead, selection);
    this.sounding = new Sounding(shot, session, playhead, selection);
    this.found = new FoundHere(shot, playhead, notice);
    this.connect();
  }

  /** What one part's change means for others. */
  private connect(): void {
    this.attempts.refresh = () => this.refresh();
    this.found.accepted = async (item) => {
      await this.refresh();
      this.selection.select(item);
    };
    this.outlining.placed = () => this.goOn();
    this.selection.leaving = () => {
      this.toolbox.leave();
      this.things.picked = this.sounding.picked = '';
    };
    this.selection.changed = () => {
      this.outlining.adding = false;
      this.keying.picked = [];
      for (const step of [this.following, this.holdouts, this.concealing]) step.reset();
    };
    this.toolbox.taken = (tool) => {
      this.following.correction = undefined;
      if (tool === 'surface' || tool === 'points') this.steps.current = 'follow';
      else if (tool === 'pick') this.steps.go('conceal');
    };
  }

  /** After a cover was placed by hand here: on to where it is to be placed next, as the editor chose. */
  private goOn(): void {
    const { onward } = this.keying;
    const cover = this.selection.cover;
    if (!onward || !cover || cover.track || this.keying.shapeScope !== 'frame') return;
    if (onward === 'halves') this.looked.confirm();
    else this.playhead.seek(Math.min(this.playhead.whole + onward, cover.span.last));
  }

  /** Both fields of the frame are shown: never while playing, which has no time for it. */
  get woven(): boolean {
    return this.shot.fields && this.viewport.woven && this.playhead.speed === 0;
  }
  setWoven(on: boolean): void {
    this.viewport.woven = on;
    this.playhead.seek(this.playhead.whole);
  }

  private clip() {
    const { shot } = this;
    const shown = () => this.session.shown;
    const step = () => (shot.fields && !this.viewport.woven ? 0.5 : 1);
    const span = () => this.selection.cover?.span;
    return {
      get last() {
        return shot.last;
      },
      get step() {
        return step();
      },
      get rate() {
        return shot.rate;
      },
      get shown() {
        return shown();
      },
      /** The selected cover's span when the frame is inside it, else the whole shot. */
      range: (frame: number): [number, number] => {
        const s = span();
        return s && s.first <= frame && frame <= s.last && s.last > s.first ? [s.first, s.last] : [0, shot.last];
      },
      leave: () => this.toolbox.leave(),
      busy: () => this.busy(),
      sound: (frame: number, speed: number) => this.sounding.follow(frame, speed),
      grain: (frame: number) => this.sounding.grain(frame),
      playing: () => void api.POST('/api/shots/{id}/playing', { params: { path: { id: this.id } } }).catch(() => {}),
    };
  }

  private stage(): Stage {
    const matte = () => this.viewport.mode === 'matte';
    return {
      wanted: () => ({ frame: this.playhead.frame, full: this.viewport.full, matte: matte(), woven: this.woven }),
      known: (document) => this.attempts.learn(document),
      painted: async (revision) => {
        const as = { full: this.viewport.full, matte: matte(), woven: this.woven };
        await this.playhead.frames.patch(revision, this.playhead.frame, as).wait;
      },
      busy: () => this.busy(),
      changed: () => {
        this.selection.check();
        this.keying.check();
      },
      drafted: (commands) => {
        if (this.steps.current === 'conceal') this.concealing.look(commands);
      },
    };
  }

  async open(): Promise<void> {
    const loaded = loadCore();
    const shot = await this.shot.read(this.id);
    this.shot.view = shot;
    const sharper = () => this.session.drawn++;
    this.playhead.frames = new Frames(shot.source, shot.id, shot.first, this.shot.last, sharper);
    this.playhead.frame = this.start(shot);
    this.playhead.frames.view(this.playhead.frame); // the picture, before all else
    this.playhead.frames.patch(shot.revision.number, this.playhead.frame, { quick: true });
    this.looked.begin(shot.looks);
    const learned = loaded.then(() => {
      const { rate, timecode: start } = shot.sourceInfo.info;
      core.clock({ rate, start, first: shot.first });
      return this.attempts.learn(shot.revision.document);
    });
    await Promise.all([this.attempts.open(), this.concealing.open(), learned]);
    this.session.begin(shot.revision);
    this.sounding.open();
    this.selection.itemId = this.shot.items[0]?.id ?? '';
    this.stop = listen((kind, what) => void this.heard(kind, what));
    void this.deliveries.load().catch((e) => this.notice.say(e));
    void this.checking.load().catch((e) => this.notice.say(e));
    this.arrive();
  }

  close(): void {
    this.toolbox.leave();
    this.stop();
    this.session.close();
    this.sounding.close();
    clearTimeout(this.idle);
    this.preparing?.abort();
    this.playhead.speed = 0;
  }

  /** The frame where a shot opens: the one that the address names, or the first covered one of the first item. */
  private start(shot: Shot): number {
    const q = new URLSearchParams(location.search);
    const asked = Number(q.get('frame'));
    if (q.has('frame') && Number.isInteger(asked)) return Math.min(Math.max(asked, 0), this.shot.last);
    const first = shot.revision.document.covers?.find((c) => c.item === shot.items[0]?.id);
    return first?.span.first ?? 0;
  }

  /** Selects what the address points at: ?item=…&frame=…&step=check. */
  private arrive(): void {
    const q = new URLSearchParams(location.search);
    const item = q.get('item');
    if (item && this.shot.items.some((i) => i.id === item)) this.selection.select(item);
    if (q.get('step') === 'check') this.steps.current = 'check';
  }

  /** Something changed on the server: what it is about is read again. */
  private async heard(kind: string, id: string): Promise<void> {
    const all = kind === 'all';
    const ours = id === this.id;
    if (all || kind === 'programme' || (kind === 'source' && id === this.shot.view!.source)) await this.refresh();
    else if (ours && (kind === 'shot' || kind === 'list')) await this.refresh();
    if (all || (ours && kind === 'look')) await this.looked.load();
    if (all || kind === 'programme') await this.concealing.open();
    if (all || (ours && ['check', 'list', 'shot'].includes(kind))) await this.checking.load();
    if (kind === 'attempt') await this.attempts.heard(id);
    if (all) await this.attempts.open();
    if (all || kind === 'delivery') await this.deliveries.load();
  }

  /** Takes the shot as the server has it now. */
  private async refresh(): Promise<void> {
    const now = await this.shot.read(this.id);
    await this.attempts.learn(now.revision.document);
    this.shot.view = now;
    this.session.heard(now.revision);
  }

  /** After a pause in what the editor does, the covers are prepared for playing. */
  private busy(): void {
    clearTimeout(this.idle);
    this.preparing?.abort();
    this.idle = setTimeout(() => {
      const spans = this.session.document?.covers.filter((c) => !c.off).map((c) => c.span) ?? [];
      if (this.playhead.speed !== 0 || this.session.saving || spans.length === 0) return;
      this.preparing = new AbortController();
      const span: [number, number] = [Math.min(...spans.map((s) => s.first)), Math.max(...spans.map((s) => s.last))];
      void this.playhead.frames.prepare(this.session.shown, this.playhead.whole, span, this.preparing.signal);
    }, pause);
  }

  // ---- What takes several parts ------------------------------------------

  async addItem(name: string, kind: Item['kind']): Promise<void> {
    try {
      const item = await this.shot.addItem(name, kind);
      this.selection.select(item.id);
      if (kind === 'speech') return this.sounding.addHere();
      this.steps.current = 'outline';
      this.toolbox.take('box');
    } catch (e) {
      this.notice.say(e);
    }
  }

  /** The selected cover once more, with its motion and treatments, for a new item of its kind. */
  async duplicate(): Promise<void> {
    const cover = this.selection.target;
    const item = this.selection.item;
    if (!cover || !item) return;
    const taken = new Set(this.shot.items.map((i) => i.name));
    let name = item.name;
    for (let n = 2; taken.has(name); n++) name = `${item.name} ${n}`;
    try {
      const twin = await this.shot.addItem(name, item.kind);
      await this.session.save([{ do: 'duplicate', cover: cover.id, id: crypto.randomUUID(), item: twin.id, name }]);
      this.selection.select(twin.id);
    } catch (e) {
      this.notice.say(e);
    }
  }

  /** What the selected cover hides is looked for in the rest of the programme. */
  async lookElsewhere(): Promise<void> {
    const cover = this.selection.cover;
    if (!cover) return;
    try {
      const path = { id: this.shot.id, cover: cover.id };
      const r = await ask(api.POST('/api/shots/{id}/covers/{cover}/elsewhere', { params: { path } }));
      const where = r.sources === 1 ? 'one source' : `${r.sources} sources`;
      this.notice.say(`It is looked for in ${where}; what is found comes under Proposals.`);
    } catch (e) {
      this.notice.say(e);
    }
  }

  /** What is in hand, a passage or a cover, begins or ends at this frame. */
  setEdge(which: 'first' | 'last'): void {
    if (this.sounding.passage) this.sounding.edge(which === 'first' ? 'from' : 'to');
    else this.keying.setSpan(which);
  }

  setSteady(on: boolean): void {
    this.viewport.steady = on;
    if (on && this.viewport.zoom === 0) this.zoomToSelection();
  }
  /** Shows the selected cover as large as suits it. */
  zoomToSelection(): void {
    this.playhead.pause();
    const state = this.selection.state;
    if (state) this.viewport.zoomTo(state.centre, state.size);
  }

  /** Draws in the middle of the view. */
  drawInTheMiddle(): void {
    const { width, height } = this.shot;
    this.toolbox.drawAround(this.viewport.centre ?? { x: width / 2, y: height / 2 }, width / 10, height / 10);
  }

  /** Puts everything down that is in hand for the next click. */
  putDown(): void {
    this.notice.clear();
    if (this.viewport.sheet) return void (this.viewport.sheet = false);
    if (this.toolbox.discard()) return;
    this.things.picked = this.sounding.picked = '';
    this.following.reset();
    this.toolbox.tool = 'move';
    this.outlining.adding = false;
    this.selection.clear();
    this.keying.picked = [];
  }
}
