// Notes on frames, for people.
import type { Marker } from '../api/api';
import type { Playhead } from './playhead.svelte';
import type { EditingSession } from './session.svelte';

export class Markers {
  /** The marker whose note is shown, by id. */
  open = $state('');

  constructor(
    private session: EditingSession,
    private playhead: Playhead,
  ) {}

  private get all(): Marker[] {
    return this.session.document?.markers ?? [];
  }

  /** A marker at the frame shown, or the one that is there, with its note to be written. */
  add(): void {
    this.playhead.pause();
    const frame = this.playhead.whole;
    const there = this.all.find((m) => m.frame === frame);
    const id = there?.id ?? crypto.randomUUID();
    if (!there) void this.session.save([{ do: 'marker', marker: { id, frame, note: '' } }]);
    this.open = id;
  }
  note(m: Marker, note: string): void {
    if (note !== m.note) void this.session.save([{ do: 'marker', marker: { ...m, note } }]);
  }
  remove(m: Marker): void {
    this.open = '';
    void this.session.save([{ do: 'unmark', id: m.id }]);
  }
  /** Goes to the next marker, or the one before. */
  go(way: 1 | -1): void {
    const others = this.all.filter((m) => (m.frame - this.playhead.frame) * way > 0);
    const next = way > 0 ? others[0] : others.at(-1);
    if (next) this.playhead.seek(next.frame);
  }
}
