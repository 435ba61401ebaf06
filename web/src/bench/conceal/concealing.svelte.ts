// The step Conceal: the treatments of the selected cover, what can still be made out
// through them, house styles, and two treatments held against each other.
import {
  api,
  ask,
  type Command,
  type Cover,
  type Graphic,
  type Item,
  type Label,
  type Patch,
  type Style,
  type Through,
  type Treatment,
} from '../../api/api';
import { core } from '../../core/core';
import { counted } from '../../shared/format';
import { carried } from '../map';
import type { Notice } from '../notice.svelte';
import type { Playhead } from '../playhead.svelte';
import type { Selection } from '../selection.svelte';
import type { EditingSession } from '../session.svelte';
import type { OpenShot } from '../shot.svelte';
import type { Viewport } from '../viewport.svelte';

export class Concealing {
  constructor(
    private shot: OpenShot,
    private session: EditingSession,
    private playhead: Playhead,
    private selection: Selection,
    private viewport: Viewport,
    private notice: Notice,
  ) {}

  /** Another item is selected. */
  reset(): void {
    if (this.other) this.choose(false);
    this.through = undefined;
    this.said = '';
  }

  styles = $state.raw<Style[]>([]);
  private treatmentId = $state('');
  through = $state.raw<Through>(); // of the selected cover at the frame
  said = $state(''); // what a change of a style did
  sharing = $state(false); // what goes to other covers is unfolded
  /** Another set of treatments, shown beside the cover's own. */
  other = $state.raw<Treatment[]>();

  async open(): Promise<void> {
    this.styles = await ask(api.GET('/api/programmes/{id}/styles', { params: { path: { id: this.shot.programme } } }));
  }

  get cover(): Cover | undefined {
    return this.selection.target;
  }
  /** The treatment whose settings are shown. */
  get treatment(): Treatment | undefined {
    const ts = this.cover?.treatments ?? [];
    return ts.find((t) => t.id === this.treatmentId) ?? ts[0];
  }
  take(id: string): void {
    this.treatmentId = id;
  }

  /** What a new treatment of the selected cover is to hide. */
  private get under() {
    const state = this.selection.state;
    const side = state ? Math.min(state.size.x, state.size.y) : 0;
    // Strokes are measured on the picture; on a track a treatment lies where the cover was drawn.
    const ways = state ? carried(state) : 1;
    return {
      stroke: (this.through?.stroke ?? 0) / ways,
      side,
      followed: !!this.cover?.track,
    };
  }
  private fresh(ts: Treatment[]): string {
    for (let i = 1; ; i++) if (!ts.some((t) => t.id === `t${i}`)) return `t${i}`;
  }
  /** Gives the cover all its treatments; live, without saving them. */
  treat(treatments: Treatment[], live = false): void {
    const c = this.selection.cover;
    if (!c) return;
    const command: Command = { do: 'treat', cover: c.id, treatments };
    if (live) this.session.show([command]);
    else void this.session.save([command]);
  }
  add(kind: Treatment['kind']): void {
    const ts = this.cover!.treatments;
    const t = core.treatment({ id: this.fresh(ts), kind, under: this.under });
    this.treatmentId = t.id;
    this.treat([...ts, t]);
  }
  remove(id: string): void {
    this.treat(this.cover!.treatments.filter((t) => t.id !== id));
  }
  move(id: string, by: number): void {
    const ts = [...this.cover!.treatments];
    const i = ts.findIndex((t) => t.id === id);
    const [t] = ts.splice(i, 1);
    ts.splice(i + by, 0, t!);
    this.treat(ts);
  }
  change(f: (t: Treatment) => Treatment, live = false): void {
    const id = this.treatment?.id;
    this.treat(
      this.cover!.treatments.map((t) => (t.id === id ? f(t) : t)),
      live,
    );
  }
  /** Another kind in its place; motion, holdouts and strength stay. */
  become(kind: Treatment['kind']): void {
    this.change((t) =>
      t.kind === kind
        ? t
        : { ...core.treatment({ id: t.id, kind, under: this.under }), strength: t.strength, off: t.off },
    );
  }

  /** The next kind in its place, for the keyboard; a patch needs a graphic first. */
  next(): void {
    const t = this.treatment;
    if (!t || this.cover?.locked) return;
    const kinds = core
      .kinds()
      .map((k) => k.kind)
      .filter((k) => k !== 'patch') as Treatment['kind'][];
    this.become(kinds[(kinds.indexOf(t.kind) + 1) % kinds.length]!);
  }

  /** Brings in a picture for a patch and lays it on. */
  async bring(file: File): Promise<void> {
    try {
      const r = await fetch(`/api/graphics?name=${encodeURIComponent(file.name.slice(0, 200))}`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/octet-stream' },
        body: file,
      });
      const g = await r.json();
      if (!r.ok) throw new Error(g.detail ?? g.title);
      this.lay(g);
    } catch (e) {
      this.notice.say(e);
    }
  }
  lay(g: Graphic): void {
    const c = this.cover!;
    const id = this.treatment!.id;
    void this.session.save([
      { do: 'graphic', graphic: { id: g.id, name: g.name, width: g.width, height: g.height } },
      { do: 'treat', cover: c.id, treatments: c.treatments.map((t) => (t.id === id ? { ...t, graphic: g.id } : t)) },
    ]);
  }

  // ---- What shows through ------------------------------------------------

  private waiting: ReturnType<typeof setTimeout> | undefined;
  private asked = 0;
  /** Asks, a moment after the last change, what can be made out at this frame. */
  look(commands: Command[] = []): void {
    clearTimeout(this.waiting);
    const c = this.cover;
    if (!c || this.playhead.speed !== 0) return;
    this.waiting = setTimeout(async () => {
      const n = ++this.asked;
      const body = { base: this.session.base, commands, frame: this.playhead.frame, cover: c.id };
      try {
        const t = await ask(api.POST('/api/shots/{id}/through', { params: { path: { id: this.session.shot } }, body }));
        if (n === this.asked) this.through = t;
      } catch {
        // Saving reports what is wrong.
      }
    }, 120);
  }

  // ---- House styles ------------------------------------------------------

  get style(): Style | undefined {
    return this.styles.find((s) => s.id === this.cover?.style);
  }
  /** The cover follows a style and looks otherwise. */
  get deviates(): boolean {
    return !!this.style && !core.sameStyle({ a: core.style({ cover: this.cover!.id }), b: this.style.style });
  }
  styleFor(kind: Item['kind']): Style | undefined {
    return this.styles.find((s) => s.kinds.includes(kind));
  }
  follow(id: string): void {
    const s = this.styles.find((x) => x.id === id);
    void this.session.save([{ do: 'style', cover: this.cover!.id, id: s?.id, style: s?.style }]);
  }
  /** Makes a style of what the selected cover has. */
  async saveStyle(name: string, kinds: string[]): Promise<void> {
    try {
      const s = await ask(
        api.POST('/api/programmes/{id}/styles', {
          params: { path: { id: this.shot.programme } },
          body: { name, kinds, style: core.style({ cover: this.cover!.id }) },
        }),
      );
      await this.open();
      this.follow(s.id);
      this.said = `Saved ${s.name}.`;
    } catch (e) {
      this.notice.say(e);
    }
  }
  /** Makes the style what the selected cover has; all that follow it change. */
  async changeStyle(): Promise<void> {
    const s = this.style!;
    try {
      await this.session.settle();
      const done = await ask(
        api.PUT('/api/styles/{id}', {
          params: { path: { id: s.id } },
          body: { name: s.name, kinds: s.kinds, style: core.style({ cover: this.cover!.id }) },
        }),
      );
      await this.open();
      this.said =
        `Changed ${s.name}: ${counted(done.covers, 'other cover', 'other covers')} in ` +
        `${counted(done.shots, 'shot', 'shots')} followed.`;
    } catch (e) {
      this.notice.say(e);
    }
  }

  // ---- To others ---------------------------------------------------------

  /** The other covers of the shot, which may be given something. */
  get others(): Cover[] {
    return (this.session.document?.covers ?? []).filter((c) => c.id !== this.cover?.id && !c.holdsOut?.length);
  }
  give(to: string[]): void {
    const c = this.cover!;
    void this.session.save(to.map((id): Command => ({ do: 'treat', cover: id, treatments: c.treatments })));
  }
  moveLike(from: string): void {
    this.selection.edit({ do: 'moveLike', id: from });
  }

  // ---- Two treatments side by side ---------------------------------------

  /** Shows another treatment of the same cover beside it, on the running picture. */
  compare(kind: Treatment['kind']): void {
    const t = this.treatment!;
    this.other = this.cover!.treatments.map((x) =>
      x.id === t.id ? { ...core.treatment({ id: t.id, kind, under: this.under }), strength: t.strength } : x,
    );
    this.viewport.mode = 'pair';
  }
  /** Keeps one of the two. */
  choose(other: boolean): void {
    if (other && this.other) this.treat(this.other);
    this.other = undefined;
    this.viewport.mode = 'concealed';
  }
  /** The cover with the other treatment at a frame. */
  variant(f: number, full: boolean): { value?: Patch; wait: Promise<Patch | undefined> } {
    const commands: Command[] = [{ do: 'treat', cover: this.cover!.id, treatments: this.other! }];
    const name = JSON.stringify({ base: this.session.base, commands, f, full });
    return this.playhead.frames.variant(name, () => this.session.patchOf(commands, f, { full, exact: true }));
  }
  /** While playing, the frames to come are asked for early. */
  ahead(f: number, full: boolean): void {
    const [first, last] = this.playhead.range;
    const step = Math.sign(this.playhead.speed);
    if (step)
      for (let i = 1; i <= 8; i++) if (f + i * step >= first && f + i * step <= last) this.variant(f + i * step, full);
  }

  // ---- Labels ------------------------------------------------------------

  get label(): Label | undefined {
    return this.session.document?.labels?.find((l) => l.cover === this.cover?.id);
  }
  setLabel(change: Partial<Label> | undefined): void {
    const was = this.label;
    if (!change) {
      if (was) void this.session.save([{ do: 'unlabel', id: was.id }]);
      return;
    }
    const c = this.cover!;
    void this.session.save([
      {
        do: 'label',
        label: {
          id: was?.id ?? crypto.randomUUID(),
          cover: c.id,
          text: c.name,
          ring: false,
          size: Math.max(Math.round(this.shot.height / 30), 12),
          colour: '#f0cd7c',
          ...was,
          ...change,
        },
      },
    ]);
  }
}
