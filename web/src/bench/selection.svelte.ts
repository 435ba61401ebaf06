// What is worked on: an item's cover or a holdout of it, on the frame shown.
import type { Command, Cover, CoverCommand, CoverShape, Item, SelectedCover } from '../api/api';
import { core } from '../core/core';
import type { Playhead } from './playhead.svelte';
import type { EditingSession } from './session.svelte';
import type { OpenShot } from './shot.svelte';
import type { Viewport } from './viewport.svelte';

export class Selection {
  itemId = $state('');
  holdoutId = $state('');
  /** The knots that are selected, of one outline. */
  knots = $state.raw<{ outline: string; indexes: number[] }>({ outline: '', indexes: [] });
  /** Called before another item is selected, and after. */
  leaving: () => void = () => {};
  changed: () => void = () => {};

  constructor(
    private shot: OpenShot,
    private session: EditingSession,
    private playhead: Playhead,
    private viewport: Viewport,
  ) {}

  get item(): Item | undefined {
    return this.shot.items.find((i) => i.id === this.itemId);
  }
  /** The item's own cover. */
  get target(): Cover | undefined {
    return this.session.coverOf(this.itemId);
  }
  /** The holdouts that pass before the item's cover. */
  get holdouts(): Cover[] {
    const ids = this.session.rows.get(this.target?.id ?? '')?.holdouts ?? [];
    return this.session.document?.covers.filter((c) => ids.includes(c.id)) ?? [];
  }
  get holdout(): Cover | undefined {
    return this.holdoutId ? this.holdouts.find((c) => c.id === this.holdoutId) : undefined;
  }
  /** What is edited: the item's cover, or a holdout of it that was drawn. */
  get cover(): Cover | undefined {
    const h = this.holdout;
    return h && !h.proposed ? h : this.target;
  }
  /** All covers on the frame shown. */
  shapes = $derived.by<CoverShape[]>(() => {
    void this.session.drafts;
    return this.session.document ? core.covers({ frame: this.playhead.frame }) : [];
  });
  /**
   * The frame that the card speaks of: while playing the one where it began, so that
   * numbers nobody can read cost no frame.
   */
  here = $derived.by<number>(() =>
    this.playhead.speed !== 0 && !this.viewport.steady ? this.playhead.begun : this.playhead.frame,
  );
  /** The selected cover on that frame. */
  state = $derived.by<SelectedCover | undefined>(() => {
    void this.session.drafts;
    const c = this.cover;
    return c && core.selected({ cover: c.id, frame: this.here });
  });

  select(item: string): void {
    if (item === this.itemId) return;
    this.leaving();
    this.itemId = item;
    this.holdoutId = '';
    this.clear();
    this.changed();
  }
  next(way: 1 | -1): void {
    const all = this.shot.items;
    const i = all.findIndex((x) => x.id === this.itemId);
    if (all.length) this.select(all[(i + way + all.length) % all.length]!.id);
  }
  /** No knots are selected any more. */
  clear(): void {
    this.knots = { outline: '', indexes: [] };
  }
  /** Forgets knots that are not there any more. */
  check(): void {
    const o = this.state?.outlines.find((o) => o.id === this.knots.outline);
    if (!o || this.knots.indexes.some((k) => k >= o.knots.length)) this.clear();
  }

  /** Saves a command for the selected cover, of the frame shown. */
  edit(command: CoverCommand): void {
    this.playhead.pause();
    if (this.cover) void this.session.save([{ ...command, cover: this.cover.id } as Command]);
  }
  /** One for the selected knots. */
  editKnots(command: { do: 'smooth'; on: boolean } | { do: 'removeKnots' }): void {
    const { outline, indexes } = this.knots;
    if (indexes.length) this.edit({ ...command, id: outline, indexes });
  }
}
