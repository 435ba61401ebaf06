// The step Conceal: the treatments of the cover in hand, what can still be made out
// through them, house styles, and two treatments held against each other.
import {
  api,
  ask,
  patch,
  type Command,
  type Cover,
  type Graphic,
  type Label,
  type Patch,
  type Style,
  type Through,
  type Treatment,
} from './api';
import type { Bench } from './bench.svelte';
import { core } from './core';

export class Concealing {
  constructor(private b: Bench) {}

  styles = $state.raw<Style[]>([]);
  private inHand = $state(''); // id of the treatment
  through = $state.raw<Through>(); // of the cover in hand at the frame
  said = $state(''); // what a change of a style did
  sharing = $state(false); // what goes to other covers is unfolded
  /** Another set of treatments, shown beside the cover's own. */
  other = $state.raw<Treatment[]>();

  async open(): Promise<void> {
    this.styles = await ask(
      api.GET('/api/programmes/{id}/styles', { params: { path: { id: this.b.shot!.programme } } }),
    );
  }

  get cover(): Cover | undefined {
    return this.b.holds.target;
  }
  /** The treatment whose settings are shown. */
  get treatment(): Treatment | undefined {
    const ts = this.cover?.treatments ?? [];
    return ts.find((t) => t.id === this.inHand) ?? ts[0];
  }
  take(id: string): void {
    this.inHand = id;
  }

  private fresh(ts: Treatment[]): string {
    for (let i = 1; ; i++) if (!ts.some((t) => t.id === `t${i}`)) return `t${i}`;
  }
  add(kind: string): void {
    const ts = this.cover!.treatments;
    const t = core.treatment(this.fresh(ts), kind);
    this.inHand = t.id;
    this.b.treat([...ts, t]);
  }
  remove(id: string): void {
    this.b.treat(this.cover!.treatments.filter((t) => t.id !== id));
  }
  move(id: string, by: number): void {
    const ts = [...this.cover!.treatments];
    const i = ts.findIndex((t) => t.id === id);
    const [t] = ts.splice(i, 1);
    ts.splice(i + by, 0, t!);
    this.b.treat(ts);
  }
  change(f: (t: Treatment) => Treatment, live = false): void {
    const id = this.treatment?.id;
    this.b.treat(
      this.cover!.treatments.map((t) => (t.id === id ? f(t) : t)),
      live,
    );
  }
  /** Another kind in its place; motion, holdouts and strength stay. */
  become(kind: string): void {
    this.change((t) => (t.kind === kind ? t : { ...core.treatment(t.id, kind), strength: t.strength, off: t.off }));
  }

  /** The next kind in its place, for the keyboard; a patch needs a graphic first. */
  next(): void {
    const t = this.treatment;
    if (!t || this.cover?.locked) return;
    const kinds = core
      .kinds()
      .map((k) => k.kind)
      .filter((k) => k !== 'patch');
    this.b.go('conceal');
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
      this.b.say(e);
    }
  }
  lay(g: Graphic): void {
    const c = this.cover!;
    const id = this.treatment!.id;
    void this.b.save([
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
    if (!c || this.b.speed !== 0) return;
    this.waiting = setTimeout(async () => {
      const n = ++this.asked;
      const body = { base: this.b.saved, commands, frame: this.b.frame, cover: c.id };
      try {
        const t = await ask(api.POST('/api/shots/{id}/through', { params: { path: { id: this.b.shot!.id } }, body }));
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
    return !!this.style && !core.same(core.style(this.cover!.id), this.style.style);
  }
  styleFor(kind: string): Style | undefined {
    return this.styles.find((s) => s.kinds.includes(kind));
  }
  wear(id: string): void {
    const s = this.styles.find((x) => x.id === id);
    void this.b.save([{ do: 'style', cover: this.cover!.id, id: s?.id, style: s?.style }]);
  }
  /** Makes a style of what the cover in hand has. */
  async saveStyle(name: string, kinds: string[]): Promise<void> {
    try {
      const s = await ask(
        api.POST('/api/programmes/{id}/styles', {
          params: { path: { id: this.b.shot!.programme } },
          body: { name, kinds, style: core.style(this.cover!.id) },
        }),
      );
      await this.open();
      this.wear(s.id);
      this.said = `Made ${s.name}.`;
    } catch (e) {
      this.b.say(e);
    }
  }
  /** Makes the style what the cover in hand has; all that follow it change. */
  async changeStyle(): Promise<void> {
    const s = this.style!;
    try {
      await this.b.settle();
      const done = await ask(
        api.PUT('/api/styles/{id}', {
          params: { path: { id: s.id } },
          body: { name: s.name, kinds: s.kinds, style: core.style(this.cover!.id) },
        }),
      );
      await this.open();
      this.said = `Changed ${s.name}: ${done.covers === 1 ? 'one other cover' : `${done.covers} other covers`} in ${done.shots === 1 ? 'one shot' : `${done.shots} shots`} followed.`;
    } catch (e) {
      this.b.say(e);
    }
  }

  // ---- To others ---------------------------------------------------------

  /** The other covers of the shot, which may be given something. */
  get others(): Cover[] {
    return (this.b.document?.covers ?? []).filter((c) => c.id !== this.cover?.id && !c.holdsOut?.length);
  }
  give(to: string[]): void {
    const c = this.cover!;
    void this.b.save(to.map((id): Command => ({ do: 'treat', cover: id, treatments: c.treatments })));
  }
  moveLike(from: string): void {
    this.b.onCover({ do: 'moveLike', id: from });
  }

  // ---- Two treatments side by side ---------------------------------------

  /** Shows another treatment of the same cover beside it, on the running picture. */
  compare(kind: string): void {
    const t = this.treatment!;
    this.other = this.cover!.treatments.map((x) =>
      x.id === t.id ? { ...core.treatment(t.id, kind), strength: t.strength } : x,
    );
    this.b.look = 'pair';
  }
  /** Keeps one of the two. */
  choose(other: boolean): void {
    if (other && this.other) this.b.treat(this.other);
    this.other = undefined;
    this.b.look = 'concealed';
  }
  /** The cover with the other treatment at a frame. */
  variant(f: number, full: boolean): { value?: Patch; wait: Promise<Patch | undefined> } {
    const commands: Command[] = [{ do: 'treat', cover: this.cover!.id, treatments: this.other! }];
    const body = JSON.stringify({ base: this.b.saved, commands, frame: f, full, exact: true });
    return this.b.frames.variant(body, () =>
      patch(
        fetch(`/api/shots/${this.b.shot!.id}/preview`, {
          method: 'POST',
          headers: { 'Content-Type': 'application/json' },
          body,
        }),
      ),
    );
  }
  /** While playing, the frames to come are asked for early. */
  ahead(f: number, full: boolean): void {
    const [first, last] = this.b.range;
    const step = Math.sign(this.b.speed);
    if (step)
      for (let i = 1; i <= 8; i++) if (f + i * step >= first && f + i * step <= last) this.variant(f + i * step, full);
  }

  // ---- Labels ------------------------------------------------------------

  get label(): Label | undefined {
    return this.b.document?.labels?.find((l) => l.cover === this.cover?.id);
  }
  setLabel(change: Partial<Label> | undefined): void {
    const was = this.label;
    if (!change) {
      if (was) void this.b.save([{ do: 'unlabel', id: was.id }]);
      return;
    }
    const c = this.cover!;
    void this.b.save([
      {
        do: 'label',
        label: {
          id: was?.id ?? crypto.randomUUID(),
          cover: c.id,
          text: c.name,
          ring: false,
          size: Math.max(Math.round(this.b.height / 30), 12),
          colour: '#f0cd7c',
          ...was,
          ...change,
        },
      },
    ]);
  }
}
