// What the check found in the shot: read when it changes, led to, waived, mended by
// editing. The check itself runs in the queue after every pause.
import { api, ask } from '../../api/api';
import type { Appearance, CheckResult, Command, Finding, Span, State } from '../../api/api';
import { me } from '../../shared/me';
import type { Notice } from '../notice.svelte';
import type { Playhead } from '../playhead.svelte';
import type { Selection } from '../selection.svelte';
import type { EditingSession } from '../session.svelte';
import type { OpenShot } from '../shot.svelte';
import type { Step, Steps } from '../steps.svelte';

/** Where a finding's picture is: its place on its worst frame, as it would be delivered. */
export const still = (f: Finding): string =>
  `/api/shots/${f.shot}/stills/${f.frame}?${f.place ? `place=${f.place.join(',')}` : `item=${f.item}`}&v=${f.revision}`;

export class Checking {
  result = $state.raw<CheckResult>();
  picked = $state(''); // the finding that was led to

  constructor(
    private shot: OpenShot,
    private session: EditingSession,
    private playhead: Playhead,
    private selection: Selection,
    private steps: Steps,
    private notice: Notice,
    private correctTrack: () => void,
  ) {}

  async load(): Promise<void> {
    this.result = await ask(api.GET('/api/shots/{id}/check', { params: { path: { id: this.session.shot } } }));
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
    return !!this.result?.current && !this.session.saving;
  }
  /** In a word. */
  get said(): string {
    const r = this.result;
    if (!r || r.state === '') return 'not checked';
    if (r.state === 'running') return r.frames ? `checking ${Math.round((100 * r.done) / r.frames)} %` : 'checking';
    if (r.state === 'failed') return 'check failed';
    if (r.state === 'stopped') return 'check stopped';
    if (r.state === 'queued' || !r.current) return 'to be checked';
    return this.severe ? `${this.severe} severe` : this.open.length ? `${this.open.length} minor` : 'clean';
  }

  /** The selected item in this shot. */
  get appearance(): Appearance | undefined {
    return this.shot.standing(this.selection.itemId);
  }

  go(f: Finding): void {
    this.picked = f.id;
    const passage = this.session.document?.passages?.find((p) => p.id === f.cover);
    const cover = passage ?? this.session.document?.covers.find((c) => c.id === f.cover);
    if (cover?.item && cover.item !== this.selection.itemId) this.selection.select(cover.item);
    this.steps.current = 'check';
    this.playhead.pause();
    this.playhead.seek(f.frame);
  }

  next(way: 1 | -1): void {
    const list = this.open;
    if (!list.length) {
      this.notice.say('Nothing is open: there is no finding to go to.');
      return;
    }
    const at = list.findIndex((f) => f.id === this.picked);
    this.go(list[at < 0 ? (way > 0 ? 0 : list.length - 1) : (at + way + list.length) % list.length]!);
  }

  /** What mends a finding at once, or else leads to where it is mended. */
  mend(f: Finding): { says: string; run: () => void } | undefined {
    const c = this.session.document?.covers.find((x) => x.id === f.cover);
    if (!c || c.locked) return undefined;
    const lead = (step: Step, says: string, then = () => {}) => ({
      says,
      run: () => (this.go(f), this.steps.go(step), then()),
    });
    const span = (span: Span, says: string) => ({
      says,
      run: () => (this.go(f), this.selection.edit({ do: 'span', span })),
    });
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
          ? lead('follow', 'Put the track right', () => this.correctTrack())
          : lead('outline', 'Put the outline right');
      case 'holdout-leak': {
        const off = this.paintOff(f);
        return off
          ? { says: 'Paint it off', run: () => (this.go(f), void this.session.save([off])) }
          : lead('hold', 'Go to Hold out');
      }
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
  /** Takes the place of a leak away from what was found in the picture, on the stretch of the finding. */
  private paintOff(f: Finding): Command | undefined {
    const found = this.session.document?.covers.find((h) => h.proposed && h.holdsOut?.includes(f.cover ?? ''));
    if (!found || !f.place) return undefined;
    const [x, y, w, h] = f.place as [number, number, number, number];
    const span = f.frames.find((s) => s.first <= f.frame && f.frame <= s.last) ?? { first: f.frame, last: f.frame };
    const reach = Math.min(w, h) / 2;
    const along = w > h ? { x: w / 2 - reach, y: 0 } : { x: 0, y: h / 2 - reach };
    const points = [-1, 1].map((way) => ({ x: x + w / 2 + way * along.x, y: y + h / 2 + way * along.y }));
    return { do: 'paint', cover: found.id, stroke: { frame: f.frame, span, add: false, radius: reach + 3, points } };
  }

  /** Mends the finding that was led to. */
  mendPicked(): void {
    const f = this.open.find((x) => x.id === this.picked);
    const m = f && this.mend(f);
    if (m) m.run();
    else
      this.notice.say(f ? 'This finding is mended elsewhere; its text says how.' : 'Go to a finding first (Ctrl+↓).');
  }

  async run(): Promise<void> {
    await this.session.settle();
    await this.try(async () => {
      await ask(api.POST('/api/shots/{id}/check', { params: { path: { id: this.session.shot } }, body: {} }));
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

  /** Moves the selected item on. */
  async move(state: State, note = ''): Promise<void> {
    await this.session.settle();
    await this.try(async () => {
      await ask(
        api.POST('/api/shots/{id}/items/{item}/decisions', {
          params: { path: { id: this.session.shot, item: this.selection.itemId } },
          body: { state, by: me.name, note },
        }),
      );
      this.shot.view = await this.shot.read(this.session.shot);
    });
  }

  private async try(f: () => Promise<void>): Promise<void> {
    try {
      await f();
      this.notice.clear();
    } catch (e) {
      this.notice.say(e);
    }
  }
}
