// Keys, span and keyed numbers of the selected cover.
import type { Copied, Ease, Placement } from '../api/api';
import { core } from '../core/core';
import { remembered, type Onward } from '../shared/remembered';
import type { Notice } from './notice.svelte';
import type { Playhead } from './playhead.svelte';
import type { Selection } from './selection.svelte';
import type { EditingSession } from './session.svelte';

export type Scope = 'frame' | 'around' | 'on' | 'span';
/** The scopes of a change of a keyed number. */
export const valueScopes: ['frame' | 'span', string][] = [
  ['frame', 'This frame'],
  ['span', 'Whole span'],
];
export type KeyState = 'none' | 'keyed' | 'here';

export class Keying {
  /** What a change of place or shape is for: of a cover placed by hand, and of one on a track. */
  private byHand = $state<Scope>('frame');
  private onTrack = $state<Scope>('around');
  /** How far a change around a frame reaches to each side, frames; 0: to the next good ones. */
  reach = $state(12);
  /** Of place, turn and size only what was changed is keyed. */
  apart = $state(false);
  private onwards = $state(remembered.onward);
  valueScope = $state<'frame' | 'span'>('span');
  /** Frames of the keys that are selected. */
  picked = $state.raw<number[]>([]);
  copied = $state.raw<Copied[]>([]);

  constructor(
    private session: EditingSession,
    private playhead: Playhead,
    private selection: Selection,
    private notice: Notice,
  ) {}

  /** Where the playhead goes after a cover was placed by hand. */
  get onward(): Onward {
    return this.onwards;
  }
  set onward(to: Onward) {
    remembered.onward = this.onwards = to;
  }

  get shapeScope(): Scope {
    return this.selection.cover?.track ? this.onTrack : this.byHand;
  }
  set shapeScope(scope: Scope) {
    if (this.selection.cover?.track) this.onTrack = scope;
    else this.byHand = scope;
  }
  /** The scopes that are offered, with what they are called. */
  get scopes(): [Scope, string][] {
    return this.selection.cover?.track
      ? [
          ['around', 'Around here'],
          ['on', 'From here on'],
          ['span', 'All'],
        ]
      : [
          ['frame', 'This frame'],
          ['on', 'From here on'],
          ['span', 'Whole span'],
        ];
  }
  /** The next of the scopes. */
  turnScope(): void {
    const all = this.scopes.map(([s]) => s);
    this.shapeScope = all[(all.indexOf(this.shapeScope) + 1) % all.length]!;
  }
  /** How far a change of place or shape goes, as commands say it. */
  get how(): { scope: Scope; reach?: number; apart?: boolean } {
    return {
      scope: this.shapeScope,
      ...(this.shapeScope === 'around' ? { reach: this.reach } : {}),
      ...(this.apart ? { apart: true } : {}),
    };
  }

  /** The frames at which the selected cover has a key of any kind. */
  get keys(): number[] {
    return this.session.rows.get(this.selection.cover?.id ?? '')?.keys ?? [];
  }
  /** Forgets keys that are not there any more. */
  check(): void {
    this.picked = this.picked.filter((f) => this.keys.includes(f));
  }

  setSpan(end: 'first' | 'last', frame = this.playhead.whole): void {
    const c = this.selection.cover;
    if (!c || c.span[end] === frame) return;
    const span = { ...c.span, [end]: frame };
    if (span.first > span.last) {
      this.notice.say(
        end === 'first' ? 'The span cannot begin after its end.' : 'The span cannot end before its beginning.',
      );
      return;
    }
    this.selection.edit({ do: 'span', span });
  }

  /** Sets a number of the cover: for the whole span, or where it is keyed as the switch says. */
  set(lanes: string[], number: number, live = false): void {
    this.playhead.pause();
    const state = this.selection.state;
    if (!state) return;
    const commands = lanes.map((lane) => {
      const keyed = state.lanes.some((l) => l.name === lane);
      const scope = keyed ? this.valueScope : 'span';
      return { do: 'set' as const, cover: state.id, lane, number, frame: this.playhead.frame, scope };
    });
    if (live) this.session.show(commands);
    else void this.session.save(commands);
  }

  /** Keys what is there at this frame, or takes that key away. */
  toggle(lane: string): void {
    this.playhead.pause();
    const frame = this.playhead.frame;
    if (this.selection.state?.keyed.includes(lane))
      this.selection.edit({ do: 'removeKeys', frames: [frame], lanes: [lane] });
    else this.selection.edit({ do: 'addKey', frame, lane });
  }

  /** Keys several numbers here, or takes the keys of all away. */
  toggleAll(lanes: string[]): void {
    this.playhead.pause();
    const cover = this.selection.cover?.id;
    if (!cover) return;
    const frame = this.playhead.frame;
    const here = lanes.filter((l) => this.stateOf(l) === 'here');
    void this.session.save(
      here.length === lanes.length
        ? [{ do: 'removeKeys', cover, frames: [frame], lanes }]
        : lanes.map((lane) => ({ do: 'addKey' as const, cover, frame, lane })),
    );
  }

  stateOf(lane: string): KeyState {
    const state = this.selection.state;
    return state?.keyed.includes(lane) ? 'here' : state?.lanes.some((l) => l.name === lane) ? 'keyed' : 'none';
  }

  /** How the frame lies to the keys, and what a drag here will do. */
  get between(): string {
    const state = this.selection.state;
    if (!state) return '';
    const f = this.selection.here;
    const moving = state.lanes.filter((l) => l.name === 'placement' || l.name.startsWith('outline/'));
    const frames = [...new Set(moving.flatMap((l) => l.frames))].sort((a, b) => a - b);
    if (!state.inside) return 'Outside the span.';
    if (this.shapeScope === 'span')
      return this.selection.cover?.track
        ? 'A drag moves the cover on its track in all frames alike.'
        : 'A drag changes the whole span: all keys alike.';
    if (this.shapeScope === 'on') return `A drag moves the cover from f ${f} on; what comes before stays.`;
    if (this.shapeScope === 'around')
      return this.reach
        ? `A drag corrects the track at f ${f}; ${this.reach} frames away nothing changes.`
        : `A drag corrects the track at f ${f}, up to the next frames that are surely followed.`;
    if (frames.includes(f)) return `Key at f ${f}: a drag changes this key.`;
    const before = frames.findLast((k) => k < f);
    const after = frames.find((k) => k > f);
    const adds = `A drag adds a key at f ${f}.`;
    if (before === undefined && after === undefined) return `No keys: the cover rests where it was drawn. ${adds}`;
    if (before === undefined) return `Before the first key (f ${after}), which holds backward. ${adds}`;
    if (after === undefined) return `After the last key (f ${before}), which holds. ${adds}`;
    const lane = moving.find((l) => l.frames.includes(before))!;
    const how = { '': 'moves evenly', held: 'holds the earlier', eased: 'eases' };
    return `Between keys f ${before} and f ${after}: ${how[lane.eases[lane.frames.indexOf(before)]!]}. ${adds}`;
  }

  /** Place and shape rest from the key before up to this frame. */
  hold(): void {
    this.selection.edit({ do: 'hold', frame: this.selection.here });
  }

  /** Goes to the next key, or the one before. */
  go(way: 1 | -1): void {
    const f = this.playhead.frame;
    const key = way > 0 ? this.keys.find((k) => k > f) : this.keys.findLast((k) => k < f);
    if (key !== undefined) this.playhead.seek(key);
  }

  /** The keys that are selected, or else the one at this frame. */
  get chosen(): number[] {
    const here = this.selection.here;
    return this.picked.length ? this.picked : this.keys.includes(here) ? [here] : [];
  }

  remove(): void {
    this.playhead.pause();
    const frames = this.chosen;
    this.picked = [];
    if (frames.length) this.selection.edit({ do: 'removeKeys', frames });
  }

  move(frames: number[], by: number): void {
    if (by === 0 || !this.selection.cover) return;
    this.picked = this.picked.map((f) => f + by);
    this.selection.edit({ do: 'moveKeys', frames, by });
  }

  ease(ease: Ease): void {
    this.playhead.pause();
    if (this.chosen.length) this.selection.edit({ do: 'ease', frames: this.chosen, ease });
  }

  copy(): void {
    this.playhead.pause();
    const c = this.selection.cover;
    if (!c) return;
    const frames = this.chosen.length ? this.chosen : [this.playhead.frame];
    this.copied = core.copy({ cover: c.id, frames });
  }

  paste(all = false): void {
    if (!this.copied.length) return;
    if (all) this.selection.edit({ do: 'pasteAll', keys: this.copied });
    else this.selection.edit({ do: 'paste', frame: this.playhead.frame, keys: this.copied });
  }

  /** Gives the selected cover keys of a file: of place (CSV), or all of another cover's (JSON). */
  read(text: string): void {
    const c = this.selection.cover;
    if (!c) return;
    if (text.trimStart().startsWith('{')) {
      void this.session.save([{ do: 'replace', cover: c.id, new: core.importCover({ text }) }]);
      return;
    }
    const keys = core.importKeys({ text });
    const frame = keys[0]!.frame;
    const given = new Set(keys.map((k) => k.frame));
    const gone = c.motion.keys.map((k) => k.frame).filter((f) => !given.has(f));
    const copied = keys.map(({ frame: f, ease, ...placement }): Copied => ({
      offset: f - frame,
      lane: 'placement',
      ease,
      placement: placement as Placement,
    }));
    void this.session.save([
      { do: 'paste', cover: c.id, frame, keys: copied },
      ...(gone.length ? [{ do: 'removeKeys' as const, cover: c.id, frames: gone, lanes: ['placement'] }] : []),
    ]);
  }
}
