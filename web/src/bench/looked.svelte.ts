// Which frames of a cover were looked at since they last changed, and where to look next.
import { api, ask, type Shot } from '../api/api';
import { core } from '../core/core';
import type { Notice } from './notice.svelte';
import type { Playhead } from './playhead.svelte';
import type { Selection } from './selection.svelte';
import type { EditingSession } from './session.svelte';

export class Looked {
  private looks = $state.raw<Shot['looks']>({});

  constructor(
    private session: EditingSession,
    private playhead: Playhead,
    private selection: Selection,
    private notice: Notice,
  ) {}

  begin(looks: Shot['looks']): void {
    this.looks = looks;
  }
  async load(): Promise<void> {
    this.looks = await ask(api.GET('/api/shots/{id}/looks', { params: { path: { id: this.session.shot } } }));
  }

  /** The frames looked at and not changed since, by cover. */
  frames = $derived.by<Record<string, number[]>>(() => {
    void this.session.settled;
    return this.session.document ? core.looked({ looks: this.looks }) : {};
  });

  /** The longest stretch of the span that was not looked at since the last change. */
  get unseen(): [number, number] | undefined {
    const c = this.selection.cover;
    return c && this.longest(new Set(this.frames[c.id]));
  }

  private longest(seen: Set<number>): [number, number] | undefined {
    const { first, last } = this.selection.cover!.span;
    let best: [number, number] | undefined;
    for (let f = first, from = f; f <= last + 1; f++) {
      if (f <= last && !seen.has(f)) continue;
      if (f > from && (!best || f - from > best[1] - best[0] + 1)) best = [from, f - 1];
      from = f + 1;
    }
    return best;
  }

  /** Where fitting by halves goes from here: the span's ends, then the middle of the longest stretch. */
  get next(): number | undefined {
    const c = this.selection.cover;
    if (!c) return undefined;
    const seen = new Set(this.frames[c.id]).add(Math.floor(this.selection.here));
    for (const end of [c.span.first, c.span.last]) if (!seen.has(end)) return end;
    const gap = this.longest(seen);
    return gap && Math.floor((gap[0] + gap[1]) / 2);
  }

  /** The cover is right on this frame: enters that, and goes on by halves. */
  confirm(): void {
    const c = this.selection.cover;
    if (!c) return;
    this.playhead.pause();
    const frame = this.playhead.whole;
    if (this.selection.state?.inside) {
      const frames = { [frame]: core.digest({ cover: c.id, frame }) };
      this.looks = { ...this.looks, [c.id]: { ...this.looks[c.id], ...frames } };
      const path = { id: this.session.shot };
      const body = { cover: c.id, frames };
      // Who leaves the page at once has looked all the same.
      const sent = api.POST('/api/shots/{id}/looks', { params: { path }, body, keepalive: true });
      void ask(sent).catch((e) => this.notice.say(e));
    }
    const to = this.next; // this frame counts as seen
    if (to === undefined) this.notice.say('Every frame of the span has been looked at since the last change.');
    else this.playhead.seek(to);
  }
}
