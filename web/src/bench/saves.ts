// Saving: edits go to the server one after another in the order they were made.
// What is not saved yet is also kept in the browser's storage, so that neither a
// lost line nor a closed tab loses it. When another browser changed the shot in
// the meantime, edits of covers it left alone are put on top of its changes; for
// the others the editor is asked, with both versions shown.
import { api, ask, Problem, type Command, type Document, type Revision } from '../api/api';
import { core } from '../core/core';

/** A change has a key, by which the server knows it when it is sent again. */
export type Change = ({ commands: Command[] } | { step: 'undo' | 'redo' } | { jump: number }) & { key?: string };

/** What lies in the browser's storage: edits that are not known to be saved. */
interface Unsaved {
  changes: { commands: Command[]; key?: string }[];
  base: number; // the revision they were made on; -1 while the editor is asked about them
}

/** Mine, made on a version that is no longer the shot's. */
export interface Conflict {
  head: Revision; // theirs
  commands: Command[];
  label: string; // what mine does
  path: string; // the outlines that mine would give, on the frame shown
}

/** What saving asks of the session it saves. */
interface Session {
  document(): void; // the core holds another document
  shown(r: Revision): void; // show what the server has
  waiting(n: number): void;
  conflict(c: Conflict | undefined): void;
  say(e: unknown): void;
  outlines(covers: string[]): string; // their outlines on the frame shown
  known(r: Revision): Promise<void>; // the core has what the document points at
  painted(revision: number): Promise<void>; // its pixels are here
}

/** How long to wait before trying again, ms. */
const retry = 2000;

export class Saves {
  private queue: Change[] = [];
  private head!: Revision; // as the server has it
  private open: Conflict | undefined;
  private running: Promise<void> | undefined;
  private closed = false;
  private missed: Revision | undefined; // heard of while saving

  constructor(
    private shot: string,
    private session: Session,
    private retryAfter = retry,
  ) {}

  /** Begins on a revision, and takes up what an earlier visit could not save. */
  begin(head: Revision): void {
    this.head = head;
    const left = localStorage.getItem(this.place);
    if (left) void this.takeUp(JSON.parse(left) as Unsaved);
  }

  private async takeUp({ changes, base }: Unsaved): Promise<void> {
    // What was made, but for an answer that was lost, is not made again: its key tells.
    while (changes.length && base >= 0 && base !== this.head.number) {
      try {
        await this.send(changes[0]!, base);
        changes.shift();
      } catch (e) {
        if (e instanceof Problem && e.status !== 0 && e.status !== 503) break;
        this.session.say(e);
        await new Promise((r) => setTimeout(r, this.retryAfter));
      }
      if (this.closed) return;
    }
    const commands = changes.flatMap((c) => c.commands);
    if (!commands.length) return this.keep();
    try {
      if (base !== this.head.number) throw new Error('it was made on another version');
      core.apply({ commands });
    } catch {
      return this.ask(this.head, commands);
    }
    core.keep();
    this.session.document();
    for (const c of changes) void this.add(c);
  }

  close(): void {
    this.closed = true;
  }

  private get place(): string {
    return `celator.unsaved.${this.shot}`;
  }

  /** The revision that the next request builds on, and the commands that are on their way. */
  get base(): number {
    return this.head.number;
  }
  get waiting(): Command[] {
    return this.queue.flatMap((c) => ('commands' in c ? c.commands : []));
  }

  /** Another browser made a revision; when nothing is on its way it is shown. */
  heard(r: Revision): void {
    if (r.number <= this.head.number) return;
    if (this.queue.length) {
      this.missed = r;
      return;
    }
    this.head = r;
    if (this.open) this.open = { ...this.open, head: r };
    this.session.shown(r);
  }

  add(c: Change): Promise<void> {
    c.key ??= crypto.randomUUID();
    this.queue.push(c);
    this.keep();
    this.running ??= this.run().finally(() => (this.running = undefined));
    return this.running;
  }

  /** Keeps what is unsaved in the browser as well. */
  private keep(): void {
    if (this.closed) return; // the next visit keeps what is left, and must not find it again
    const changes = this.open ? [{ commands: this.open.commands }] : this.queue.filter((c) => 'commands' in c);
    const left: Unsaved = { changes, base: this.open ? -1 : this.head.number };
    if (changes.length) localStorage.setItem(this.place, JSON.stringify(left));
    else localStorage.removeItem(this.place);
    this.session.waiting(this.queue.length);
  }

  private send(c: Change, base = this.head.number): Promise<Revision> {
    const at = { params: { path: { id: this.shot } } };
    const key = c.key;
    if ('commands' in c)
      return ask(api.POST('/api/shots/{id}/edits', { ...at, body: { base, key, commands: c.commands } }));
    if ('jump' in c) return ask(api.POST('/api/shots/{id}/jump', { ...at, body: { base, key, state: c.jump } }));
    return ask(
      api.POST(c.step === 'undo' ? '/api/shots/{id}/undo' : '/api/shots/{id}/redo', { ...at, body: { base, key } }),
    );
  }

  private async run(): Promise<void> {
    while (this.queue.length && !this.closed) {
      try {
        this.head = await this.send(this.queue[0]!);
        if (this.queue.length > 1) {
          this.queue.shift();
        } else {
          // The old pixels stay until the new ones are here.
          await Promise.all([this.session.known(this.head), this.session.painted(this.head.number)]);
          this.queue.shift();
          if (!this.queue.length) this.session.shown(this.head);
        }
      } catch (e) {
        await this.failed(e);
      }
      this.keep();
    }
    if (this.missed) this.heard(this.missed);
    this.missed = undefined;
  }

  private async failed(e: unknown): Promise<void> {
    const status = e instanceof Problem ? e.status : -1;
    if (status === 0 || status === 503 || status === 507) {
      // 503: its database is away; 507: its disk is full. All of it passes.
      this.session.say(
        status === 0
          ? 'The server cannot be reached. Your changes are kept here and saved when it is back.'
          : `${(e as Problem).message} Your changes are kept here and saved then.`,
      );
      await new Promise((r) => setTimeout(r, this.retryAfter));
      return;
    }
    let head: Revision;
    try {
      head = (await ask(api.GET('/api/shots/{id}', { params: { path: { id: this.shot } } }))).revision;
      await this.session.known(head);
    } catch (gone) {
      if (gone instanceof Problem && (gone.status === 404 || gone.status === 410)) {
        // The shot itself was taken out: nobody will ever save this.
        this.queue = [];
        this.session.say(
          'This shot is not there any more: somebody took its source out of the programme. ' +
            'Your last changes cannot be saved.',
        );
        return;
      }
      await new Promise((r) => setTimeout(r, this.retryAfter));
      return; // tried again, and then said
    }
    const was: Document = this.head.document;
    const outdated = status === 409 && head.number !== this.head.number;
    const commands = this.waiting;
    this.head = head;
    if (!outdated || commands.length === 0) {
      this.queue = [];
      this.session.shown(head);
      this.session.say(outdated ? 'The shot was changed in the meantime; nothing was undone.' : e);
      return;
    }
    this.queue = this.queue.filter((c) => 'commands' in c);
    if (core.untouched({ base: was, head: head.document, commands })) {
      this.session.shown(head);
      core.apply({ commands });
      core.keep();
      this.session.document();
      return; // and sent again, on the new base
    }
    this.queue = [];
    this.ask(head, commands);
  }

  /** Asks the editor about commands made on another version than the head. */
  private ask(head: Revision, commands: Command[]): void {
    this.open = { head, commands, label: 'your changes', path: '' };
    this.keep();
    this.session.shown(head);
    try {
      const { label } = core.apply({ commands });
      this.open = {
        ...this.open,
        label,
        path: this.session.outlines(commands.flatMap((c) => ('cover' in c ? [c.cover] : []))),
      };
    } catch {
      // Mine cannot be put on top; that is said when it is tried.
    }
    core.load({ document: head.document });
    this.session.conflict(this.open);
  }

  /** The editor's answer to a conflict. */
  resolve(mine: boolean): Promise<void> {
    const c = this.open;
    this.open = undefined;
    this.session.conflict(undefined);
    if (!c) return Promise.resolve();
    if (mine) {
      try {
        core.apply({ commands: c.commands });
      } catch (e) {
        this.keep();
        this.session.say(e);
        return Promise.resolve();
      }
      core.keep();
      this.session.document();
      return this.add({ commands: c.commands });
    }
    this.keep();
    return Promise.resolve();
  }
}
