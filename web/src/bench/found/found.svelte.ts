// What was found in this shot and waits for a yes or a no, when the editor asks for it.
import { api, ask, type ShotProposal } from '../../api/api';
import type { Notice } from '../notice.svelte';
import type { Playhead } from '../playhead.svelte';
import type { OpenShot } from '../shot.svelte';

/** For so many frames beside a sight its box is drawn: between two that were looked at it moves. */
const near = 15;

export class FoundHere {
  open = $state(false);
  rows = $state.raw<ShotProposal[]>([]);
  at = $state(0);
  /** What was accepted is an item of the shot. */
  accepted: (item: string) => Promise<void> = async () => {};

  constructor(
    private shot: OpenShot,
    private playhead: Playhead,
    private notice: Notice,
  ) {}

  async load(): Promise<void> {
    this.rows = await ask(api.GET('/api/shots/{id}/proposals', { params: { path: { id: this.shot.id } } }));
    this.at = Math.max(0, Math.min(this.at, this.rows.length - 1));
  }

  async toggle(): Promise<void> {
    if (this.open) {
      this.open = false;
      return;
    }
    try {
      await this.load();
      this.open = true;
      this.show(this.at);
    } catch (e) {
      this.notice.say(e);
    }
  }

  /** Takes one in hand, on the frame on which it is seen best. */
  show(i: number): void {
    this.at = Math.max(0, Math.min(i, this.rows.length - 1));
    const best = this.inHand?.seen.reduce((a, b) => (b.sure > a.sure ? b : a));
    if (best) this.playhead.seek(best.frame);
  }

  get inHand(): ShotProposal | undefined {
    return this.rows[this.at];
  }

  /** The boxes to be drawn on the frame shown. */
  get boxes(): { id: string; points: string; held: boolean }[] {
    if (!this.open) return [];
    const f = this.playhead.frame;
    return this.rows.flatMap((r) => {
      const s = r.seen.reduce((a, b) => (Math.abs(b.frame - f) < Math.abs(a.frame - f) ? b : a));
      if (Math.abs(s.frame - f) > near) return [];
      return [{ id: r.id, points: s.quad.map((p) => `${p.x},${p.y}`).join(' '), held: r === this.inHand }];
    });
  }

  async accept(): Promise<void> {
    const r = this.inHand;
    if (!this.open || !r) return;
    try {
      const done = await ask(api.POST('/api/proposals/accept', { body: { ids: [r.id], item: r.asked ?? '' } }));
      if (done.left.length) this.notice.say(done.left[0]!.why);
      await this.load();
      await this.accepted(done.item);
    } catch (e) {
      this.notice.say(e);
    }
  }

  async unneeded(): Promise<void> {
    const r = this.inHand;
    if (!this.open || !r) return;
    try {
      await ask(api.POST('/api/proposals/judge', { body: { ids: [r.id], state: 'unneeded', forget: true } }));
      await this.load();
      this.show(this.at);
    } catch (e) {
      this.notice.say(e);
    }
  }
}
