// Tracks and labels as things of their own: what rides on a track, which of its frames
// count, and labels that hang on it or on a cover.
import type { Command, Label, TrackRow } from '../../api/api';
import { core } from '../../core/core';
import type { Playhead } from '../playhead.svelte';
import type { Selection } from '../selection.svelte';
import type { EditingSession } from '../session.svelte';
import type { OpenShot } from '../shot.svelte';

export class Things {
  /** The track or label in hand, by id; while there is one the card speaks of it. */
  picked = $state('');

  listed = $state(false); // in the timeline, below the items

  constructor(
    private shot: OpenShot,
    private session: EditingSession,
    private playhead: Playhead,
    private selection: Selection,
  ) {}

  tracks = $derived.by<TrackRow[]>(() => {
    void this.session.drafts;
    void this.session.settled;
    return this.session.document?.tracks?.length ? core.tracks() : [];
  });
  get labels(): Label[] {
    return this.session.document?.labels ?? [];
  }
  get track(): TrackRow | undefined {
    return this.tracks.find((t) => t.track.id === this.picked);
  }
  get label(): Label | undefined {
    return this.labels.find((l) => l.id === this.picked);
  }

  pick(id: string): void {
    this.picked = this.picked === id ? '' : id;
  }

  /** What a label hangs on, by name. */
  carrier(l: Label): string {
    const d = this.session.document;
    return (l.track ? d?.tracks?.find((t) => t.id === l.track) : d?.covers.find((c) => c.id === l.cover))?.name ?? '';
  }
  cover(id: string): string {
    return this.session.document?.covers.find((c) => c.id === id)?.name ?? '';
  }
  /** Opens the item that a cover hides. */
  open(cover: string): void {
    const item = this.session.document?.covers.find((c) => c.id === cover)?.item;
    this.picked = '';
    if (item) this.selection.select(item);
  }

  rename(name: string): void {
    const t = this.track?.track;
    if (t && name.trim() && name.trim() !== t.name) this.save({ do: 'nameTrack', id: t.id, name: name.trim() });
  }

  /** The frames of the track in hand that count. */
  get counted(): [number, number] | undefined {
    const t = this.track;
    if (!t) return undefined;
    const first = t.states.search(/[^-]/);
    if (first < 0) return undefined;
    const last = t.states.length - 1 - [...t.states].reverse().findIndex((c) => c !== '-');
    return [t.first + first, t.first + last];
  }
  /** The track counts up to the frame shown, from it on, or all that was followed. */
  trim(what: 'from here' | 'to here' | 'all'): void {
    const [t, counted] = [this.track, this.counted];
    if (!t) return;
    if (what === 'all') return this.save({ do: 'trim', id: t.track.id });
    if (!counted) return;
    const [first, last] = counted;
    const f = this.playhead.whole;
    const trim = what === 'from here' ? { first: f, last } : { first, last: f };
    if (trim.first <= trim.last) this.save({ do: 'trim', id: t.track.id, trim });
  }
  remove(): void {
    const [t, l] = [this.track, this.label];
    if (t) this.save({ do: 'untrack', id: t.track.id });
    else if (l) this.save({ do: 'unlabel', id: l.id });
    this.picked = '';
  }
  removeUnused(): void {
    const unused = this.tracks.filter((t) => !t.riders.length);
    void this.session.save(unused.map((t): Command => ({ do: 'untrack', id: t.track.id })));
    if (unused.some((t) => t.track.id === this.picked)) this.picked = '';
  }

  /** A new label on the track in hand. */
  addLabel(): void {
    const t = this.track?.track;
    if (!t) return;
    const id = crypto.randomUUID();
    const size = Math.max(Math.round(this.shot.height / 30), 12);
    const label: Label = { id, track: t.id, text: t.name, ring: false, size, colour: '#f0cd7c' };
    this.save({ do: 'label', label });
    this.picked = id;
  }
  changeLabel(change: Partial<Label>): void {
    const l = this.label;
    if (l) this.save({ do: 'label', label: { ...l, ...change } });
  }

  private save(c: Command): void {
    void this.session.save([c]);
  }
}
