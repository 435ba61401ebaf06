// The runs of the tracker and of the search for what passes in front, and what they
// found. The document takes a run's poses or mattes when it has ended; until then they
// are only shown.
import { api, ask, askAll, type Attempt, type Document } from '../api/api';
import { core } from '../core/core';
import type { Notice } from './notice.svelte';
import type { EditingSession } from './session.svelte';

export const ended = (a: Attempt) => a.state === 'done' || a.state === 'stopped' || a.state === 'failed';

export class Attempts {
  /** Without poses and mattes, which the core has. */
  all = $state.raw<Attempt[]>([]);
  /** Raised when the core knows more poses. */
  posed = $state(0);
  /** The shot is shown as the server has it: the document has what was found before a run is shown as ended. */
  refresh: () => Promise<void> = async () => {};
  private listeners: ((a: Attempt, before: Attempt | undefined) => void)[] = [];
  private known = new Set<string>(); // ended ones that the core has
  private over = new Set<string>(); // shown as ended
  private elsewhere = new Set<string>(); // of other shots
  private asking = new Map<string, boolean>(); // whether to ask again when the answer is here

  constructor(
    private session: EditingSession,
    private notice: Notice,
  ) {}

  /** Calls f with every attempt that changes, as it is and as it was. */
  listen(f: (a: Attempt, before: Attempt | undefined) => void): void {
    this.listeners.push(f);
  }

  async open(): Promise<void> {
    const all = await askAll(api.GET('/api/shots/{id}/attempts', { params: { path: { id: this.session.shot } } }));
    for (const a of all) if (ended(a)) this.over.add(a.id);
    this.all = all;
  }

  /** Makes sure that the core has the poses and mattes a document points at. */
  async learn(d: Pick<Document, 'tracks'> & Partial<Document>): Promise<void> {
    const wanted = [...(d.tracks ?? []).map((t) => t.attempt), ...(d.covers ?? []).map((c) => c.proposed?.run)];
    const missing = wanted.filter((a): a is string => !!a && !this.known.has(a));
    await Promise.all([...new Set(missing)].map((a) => this.fetch(a)));
  }

  private async fetch(id: string): Promise<Attempt> {
    const a = await ask(api.GET('/api/attempts/{id}', { params: { path: { id } } }));
    if (!ended(a) && this.known.has(id)) return a; // asked before the run ended, and answered after that was told
    if (a.poses) {
      core.poses({ attempt: id, poses: a.poses });
      this.posed++;
    }
    if (a.mattes) {
      core.mattes({ run: id, mattes: a.mattes });
      this.session.learned();
    }
    if (ended(a)) this.known.add(id);
    return a;
  }

  /** Something is new of an attempt. */
  async heard(id: string): Promise<void> {
    if (this.elsewhere.has(id)) return;
    if (this.asking.has(id)) {
      this.asking.set(id, true);
      return;
    }
    this.asking.set(id, false);
    try {
      const a = await this.fetch(id);
      if (a.shot !== this.session.shot) this.elsewhere.add(id);
      else {
        if (ended(a) && !this.over.has(id)) await this.refresh();
        if (ended(a)) this.over.add(id);
        this.put(a);
      }
    } finally {
      const again = this.asking.get(id);
      this.asking.delete(id);
      if (again) void this.heard(id);
    }
  }

  put(a: Attempt): void {
    const { poses: _, mattes: __, ...plain } = a;
    const before = this.all.find((x) => x.id === a.id);
    this.all = before ? this.all.map((x) => (x.id === a.id ? plain : x)) : [plain, ...this.all];
    for (const f of this.listeners) f(a, before);
  }

  async stop(id: string): Promise<void> {
    await ask(api.POST('/api/attempts/{id}/stop', { params: { path: { id } } })).catch((e) => this.notice.say(e));
  }
}
