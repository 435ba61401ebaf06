// The editing session: the shot's document in the browser's core. Edits show at once;
// they are saved one after another in the background and never lost (see saves.ts).
import {
  api,
  askNext,
  askPage,
  patch,
  type Command,
  type Cover,
  type Document,
  type Edit,
  type Patch,
  type Revision,
  type TimelineRow,
} from '../api/api';
import { core } from '../core/core';
import type { Notice } from './notice.svelte';
import { Saves, type Conflict } from './saves';

/** What the session asks of the bench: which pixels are wanted, and what comes before a revision is shown. */
export interface Stage {
  /** The frame whose pixels are shown, and in which form. */
  wanted(): { frame: number; full: boolean; matte: boolean; woven: boolean };
  /** The core has what the document points at. */
  known(document: Document): Promise<void>;
  /** The pixels of a revision are here. */
  painted(revision: number): Promise<void>;
  /** The editor did something. */
  busy(): void;
  /** The document is another one. */
  changed(): void;
  /** Commands are shown that are not saved. */
  drafted(commands: Command[]): void;
}

export class EditingSession {
  document = $state.raw<Document>();
  revision = $state.raw<Revision>();
  edits = $state.raw<Edit[]>([]);
  saving = $state(0); // changes that are on their way
  conflict = $state.raw<Conflict>();
  /** What a drag shows in place of the saved patch. */
  preview = $state.raw<{ frame: number; patch: Patch; matte: boolean; woven: boolean }>();
  /** Raised when pictures have come in or covers have changed. */
  drawn = $state(0);
  /** Raised when the core's draft changes, and when its saved document does. */
  drafts = $state(0);
  settled = $state(0);

  private saves: Saves;
  private pending: Command[] | undefined;
  private previewing = false;

  constructor(
    readonly shot: string,
    private notice: Notice,
    private stage: Stage,
  ) {
    this.saves = new Saves(shot, {
      document: () => this.loaded(),
      shown: (r) => this.take(r),
      waiting: (n) => (this.saving = n),
      conflict: (c) => (this.conflict = c),
      say: (e) => notice.say(e),
      outlines: (ids) =>
        core
          .covers({ frame: stage.wanted().frame })
          .filter((c) => ids.includes(c.id))
          .map((c) => c.path)
          .join(''),
      known: (r) => stage.known(r.document),
      painted: (n) => stage.painted(n),
    });
  }

  begin(r: Revision): void {
    this.take(r);
    this.saves.begin(r);
  }
  close(): void {
    this.saves.close();
  }
  /** The server has a revision, of this browser or another. */
  heard(r: Revision): void {
    this.saves.heard(r);
    this.drawn++;
  }

  /** Shows a revision that the server has. */
  private take(r: Revision): void {
    this.stage.busy();
    this.revision = r;
    core.load({ document: r.document });
    this.preview = undefined;
    this.loaded(r.document);
  }

  /** After the core's saved document has changed. */
  private loaded(d: Document = core.document()): void {
    this.document = d;
    this.drafts++;
    this.settled++;
    this.drawn++;
    this.stage.changed();
  }

  /** After the core has learned more of what the document points at. */
  learned(): void {
    this.drafts++;
    this.settled++;
  }

  /** The revision shown, and the one that what is not saved yet builds on. */
  get shown(): number {
    return this.revision!.number;
  }
  get base(): number {
    return this.saves.base;
  }
  /** The item's cover. */
  coverOf(item: string): Cover | undefined {
    return this.document?.covers.find((c) => c.item === item);
  }
  /** What the timeline shows of each cover; it does not depend on the frame. */
  rows = $derived.by<Map<string, TimelineRow>>(() => {
    void this.settled;
    return new Map(this.document ? core.rows().map((r) => [r.id, r]) : []);
  });

  /** Shows commands without saving them; the treated pixels follow as fast as they can. */
  show(commands: Command[]): void {
    this.stage.busy();
    try {
      core.apply({ commands });
    } catch (e) {
      this.notice.say(e);
      return;
    }
    // What moves a cover shows in what the core says of the frame; the rest is read.
    const changed = new Set(commands.flatMap((c) => ('cover' in c && !moves.has(c.do) ? [c.cover] : [])));
    if (changed.size) {
      const covers = this.document!.covers.map((c) => (changed.has(c.id) ? core.cover({ cover: c.id }) : c));
      this.document = { ...this.document!, covers };
    }
    this.drafts++;
    this.pending = commands;
    performance.mark(marks.shown);
    this.stage.drafted([...this.saves.waiting, ...commands]);
    void this.paint();
  }

  private async paint(): Promise<void> {
    if (this.previewing) return;
    this.previewing = true;
    while (this.pending) {
      const commands = [...this.saves.waiting, ...this.pending];
      this.pending = undefined;
      const { frame, ...as } = this.stage.wanted();
      try {
        const p = await this.patchOf(commands, frame, as);
        this.preview = { frame, patch: p, matte: as.matte, woven: as.woven };
        this.drawn++;
        performance.measure(marks.painted, marks.shown);
      } catch {
        // The next pointer move asks again; saving reports what is wrong.
      }
    }
    this.previewing = false;
  }

  /** The patch of a frame with commands that are not saved. */
  patchOf(
    commands: Command[],
    frame: number,
    as: { full: boolean; matte?: boolean; exact?: boolean; woven?: boolean },
  ): Promise<Patch> {
    return patch(
      fetch(`/api/shots/${this.shot}/preview`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify({ base: this.base, commands, frame, ...as }),
      }),
    );
  }

  /** Saves commands as a revision. The bench shows them at once. */
  save(commands: Command[]): Promise<void> {
    this.stage.busy();
    this.pending = undefined;
    try {
      core.apply({ commands });
    } catch (e) {
      this.notice.say(e);
      this.drop();
      return Promise.resolve();
    }
    core.keep();
    this.notice.clear();
    this.loaded();
    return this.saves.add({ commands });
  }

  /** Waits until everything is saved. */
  async settle(): Promise<void> {
    while (this.saving) await new Promise((r) => setTimeout(r, 30));
  }

  undo = () => (this.revision?.canUndo || this.saving) && this.saves.add({ step: 'undo' });
  redo = () => this.revision?.canRedo && this.saves.add({ step: 'redo' });
  jump = (state: number) => this.saves.add({ jump: state });
  resolve = (mine: boolean) => this.saves.resolve(mine);

  private earlier = $state<string>(); // where the list of edits goes on

  async loadEdits(): Promise<void> {
    const page = await askPage(api.GET('/api/shots/{id}/edits', { params: { path: { id: this.shot } } }));
    [this.edits, this.earlier] = [page.rows, page.next];
  }
  get hasEarlierEdits(): boolean {
    return !!this.earlier;
  }
  async loadEarlierEdits(): Promise<void> {
    if (!this.earlier) return;
    const page = await askNext<Edit>(this.earlier);
    [this.edits, this.earlier] = [[...this.edits, ...page.rows], page.next];
  }

  /** Drops what was only shown. */
  private drop(): void {
    this.pending = undefined;
    this.preview = undefined;
    core.apply({ commands: [] });
    this.loaded();
  }
}

/** From a drag's last move to its treated pixels, for the browser's profiler and the benches. */
const marks = { shown: 'celator drag', painted: 'celator drag to pixels' };

/** Commands that change only where a cover lies. */
const moves = new Set<Command['do']>(['place', 'reshape', 'fit']);
