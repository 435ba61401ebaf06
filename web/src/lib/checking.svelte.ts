// What the check found in the shot: read when it changes, led to, waived, mended by
// editing. The check itself runs in the queue after every pause.
import { api, ask, type CheckResult, type Finding, type Seen, type Span, type State } from './api';
import type { Bench, Step } from './bench.svelte';
import { me } from './me';

/** Where a finding's picture is: its place on its worst frame, as it would be delivered. */
export const still = (f: Finding): string =>
  `/api/shots/${f.shot}/stills/${f.frame}?${f.place ? `place=${f.place.join(',')}` : `item=${f.item}`}&v=${f.revision}`;

export class Checking {
  result = $state.raw<CheckResult>();
  picked = $state(''); // the finding that was led to

  constructor(private b: Bench) {}

  async load(): Promise<void> {
    this.result = await ask(api.GET('/api/shots/{id}/check', { params: { path: { id: this.b.shot!.id } } }));
  }

  get all(): Finding[] {
    return this.result?.findings ?? [];
  }
  get open(): Finding[] {
    return this.all.filter((f) => f.state === 'open');
  }
  get severe(): number {
    return this.open.filter((f) => f.severity === 'severe').length;
  }
  /** Those about a cover or, without one, about the shot. */
  of(cover: string): Finding[] {
    return this.all.filter((f) => f.cover === cover);
  }
  /** What is concerned on a frame of a cover. */
  at(cover: string, frame: number): Finding[] {
    return this.open.filter((f) => f.cover === cover && f.frames.some((s) => s.first <= frame && frame <= s.last));
  }
  get running(): boolean {
    return this.result?.state === 'running' || this.result?.state === 'queued';
  }
  get current(): boolean {
    return !!this.result?.current && !this.b.saving;
  }
  /** In a word. */
  get said(): string {
    const r = this.result;
    if (!r || r.state === '') return 'not checked';
    if (r.state === 'running') return r.frames ? `checking ${Math.round((100 * r.done) / r.frames)} %` : 'checking';
    if (r.state === 'failed') return 'check failed';
    if (r.state === 'queued' || !r.current) return 'to be checked';
    return this.severe ? `${this.severe} severe` : this.open.length ? `${this.open.length} minor` : 'clean';
  }

  /** The item in hand in this shot. */
  get seen(): Seen | undefined {
    return this.b.shot?.seen.find((s) => s.item === this.b.item);
  }

  go(f: Finding): void {
    this.picked = f.id;
    const cover = this.b.document?.covers.find((c) => c.id === f.cover);
    if (cover?.item && cover.item !== this.b.item) this.b.choose(cover.item);
    this.b.step = 'check';
    this.b.play(0);
    this.b.seek(f.frame);
  }

  next(way: 1 | -1): void {
    const list = this.open;
    if (!list.length) {
      this.b.error = 'Nothing is open: there is no finding to go to.';
      return;
    }
    const at = list.findIndex((f) => f.id === this.picked);
    this.go(list[at < 0 ? (way > 0 ? 0 : list.length - 1) : (at + way + list.length) % list.length]!);
  }

  /** What mends a finding at once, or else leads to where it is mended. */
  mend(f: Finding): { says: string; run: () => void } | undefined {
    const b = this.b;
    const c = b.document?.covers.find((x) => x.id === f.cover);
    if (!c || c.locked) return undefined;
    const lead = (step: Step, says: string, then = () => {}) => ({ says, run: () => (this.go(f), b.go(step), then()) });
    const span = (span: Span, says: string) => ({ says, run: () => (this.go(f), b.onCover({ do: 'span', span })) });
    switch (f.kind) {
      case 'bare-ends':
        return span(
          { first: Math.min(c.span.first, f.frames[0]!.first), last: Math.max(c.span.last, f.frames.at(-1)!.last) },
          'Lengthen the span',
        );
      case 'cut-crossed':
        return span({ ...c.span, last: f.frame - 1 }, 'End the span at the cut');
      case 'exposed':
      case 'jumping':
      case 'weak':
        return c.track
          ? lead('follow', 'Put the track right', () => b.follows.mend())
          : lead('outline', 'Put the outline right');
      case 'holdout-leak':
      case 'cover-on-foreground':
        return lead('hold', 'Go to Hold out');
      case 'readable':
      case 'readable-over-frames':
      case 'style-deviation':
        return lead('conceal', 'Go to Conceal');
      case 'larger-than-needed':
      case 'unintended-key':
        return lead('outline', 'Go to Outline');
      default:
        return undefined;
    }
  }
  /** Mends the finding that was led to. */
  mendPicked(): void {
    const f = this.open.find((x) => x.id === this.picked);
    const m = f && this.mend(f);
    if (m) m.run();
    else this.b.error = f ? 'This finding is mended elsewhere; its text says how.' : 'Go to a finding first (Ctrl+↓).';
  }

  async run(): Promise<void> {
    await this.b.settle();
    await this.try(async () => {
      await ask(api.POST('/api/shots/{id}/check', { params: { path: { id: this.b.shot!.id } }, body: {} }));
      await this.load();
    });
  }

  async waive(f: Finding, reason: string): Promise<void> {
    await this.try(async () => {
      await ask(
        api.POST('/api/findings/{id}/waive', { params: { path: { id: f.id } }, body: { by: me.name, reason } }),
      );
      await this.load();
    });
  }

  /** Moves the item in hand on. */
  async move(state: State, note = ''): Promise<void> {
    await this.b.settle();
    await this.try(async () => {
      await ask(
        api.POST('/api/shots/{id}/items/{item}/decisions', {
          params: { path: { id: this.b.shot!.id, item: this.b.item } },
          body: { state, by: me.name, note },
        }),
      );
      this.b.shot = await ask(api.GET('/api/shots/{id}', { params: { path: { id: this.b.shot!.id } } }));
    });
  }

  private async try(f: () => Promise<void>): Promise<void> {
    try {
      await f();
      this.b.error = '';
    } catch (e) {
      this.b.say(e);
    }
  }
}
