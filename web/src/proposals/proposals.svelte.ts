// What was found in a programme: its proposals by groups, what of them is shown, and what is
// decided about them.
import { api, ask, type Proposals as Found, type ProposalRow } from '../api/api';

export interface Group {
  key: string;
  kind: ProposalRow['kind'];
  text: string;
  rows: ProposalRow[];
  asked: string; // the item of the list that asks for it
  height: number; // where it is seen largest, px
  shots: number;
}
export type Shown = 'open' | 'later' | 'accepted' | 'unneeded' | 'rest';

/** What is shown under each heading: a word, and whether something is still to be said. */
export const headings: Record<Shown, string> = {
  open: 'Open',
  later: 'Later',
  accepted: 'Accepted',
  unneeded: 'Not needed',
  rest: 'Not offered',
};

/** In which order they are offered: what shows who somebody is comes first. */
const kinds: Group['kind'][] = ['plate', 'phone', 'face', 'number', 'mark', 'text'];

const PAGE = 60;

export class Proposals {
  list = $state.raw<Found>();
  shown = $state<Shown>('open');
  kind = $state('');
  shot = $state('');
  least = $state(0); // px of height
  query = $state('');
  at = $state(0); // the group under the keys
  limit = $state(PAGE);
  picked = $state.raw<Set<string>>(new Set()); // of the group under the keys; none stands for all
  error = $state('');
  said = $state('');
  /** What was decided last and can be opened again. */
  last = $state.raw<string[]>([]);

  constructor(readonly programme: string) {}

  private unread = ''; // why the list could not be read, while that is what is said
  async load(): Promise<void> {
    try {
      this.list = await ask(api.GET('/api/programmes/{id}/proposals', { params: { path: { id: this.programme } } }));
      if (this.error === this.unread) this.error = '';
    } catch (e) {
      this.error = this.unread = (e as Error).message;
    }
  }

  /** Where a proposal is shown. */
  private heading = (p: ProposalRow): Shown => (p.state === 'open' && !p.offered ? 'rest' : p.state);

  counts = $derived.by(() => {
    const n: Record<Shown, number> = { open: 0, later: 0, accepted: 0, unneeded: 0, rest: 0 };
    for (const p of this.list?.proposals ?? []) n[this.heading(p)]++;
    return n;
  });

  kinds = $derived.by(() => {
    const n = new Map<string, number>();
    for (const p of this.list?.proposals ?? [])
      if (this.heading(p) === this.shown) n.set(p.kind, (n.get(p.kind) ?? 0) + 1);
    return [...n];
  });

  groups = $derived.by<Group[]>(() => {
    const words = this.query.toLowerCase().split(/\s+/).filter(Boolean);
    const by = new Map<number, ProposalRow[]>();
    for (const p of this.list?.proposals ?? []) {
      if (this.heading(p) !== this.shown || (this.kind && p.kind !== this.kind)) continue;
      if ((this.shot && p.in !== this.shot) || p.height < this.least) continue;
      const text = p.text.toLowerCase();
      if (!words.every((w) => text.includes(w))) continue;
      by.set(p.group, [...(by.get(p.group) ?? []), p]);
    }
    const all = [...by.values()].map((rows): Group => {
      const head = rows.reduce((a, b) => (b.sure * b.height > a.sure * a.height ? b : a));
      return {
        key: head.id,
        kind: head.kind,
        text: head.text,
        rows,
        asked: rows.find((r) => r.asked)?.asked ?? '',
        height: Math.max(...rows.map((r) => r.height)),
        shots: new Set(rows.map((r) => r.in)).size,
      };
    });
    // What the list asks for comes first, then by kind, each in the order of the programme.
    return all.sort((a, b) => Number(!!b.asked) - Number(!!a.asked) || kinds.indexOf(a.kind) - kinds.indexOf(b.kind));
  });

  get group(): Group | undefined {
    return this.groups[Math.min(this.at, this.groups.length - 1)];
  }
  /** What a decision is about. */
  get meant(): ProposalRow[] {
    const g = this.group;
    const some = g?.rows.filter((r) => this.picked.has(r.id)) ?? [];
    return some.length ? some : (g?.rows ?? []);
  }

  narrowed(): void {
    this.at = 0;
    this.limit = PAGE;
    this.picked = new Set();
  }
  move(by: number): void {
    this.at = Math.max(0, Math.min(this.at + by, this.groups.length - 1));
    if (this.at >= this.limit - 5) this.limit += PAGE;
    this.picked = new Set();
  }
  pick(id: string): void {
    const next = new Set(this.picked);
    if (!next.delete(id)) next.add(id);
    this.picked = next;
  }

  private async decide(what: () => Promise<string>): Promise<void> {
    try {
      this.said = await what();
      this.error = '';
    } catch (e) {
      this.error = (e as Error).message;
      this.said = '';
    }
    this.picked = new Set();
    await this.load();
    this.at = Math.max(0, Math.min(this.at, this.groups.length - 1));
  }

  judge(state: 'open' | 'later' | 'unneeded', how: { reason?: string; forget?: boolean; everywhere?: boolean } = {}) {
    const ids = this.meant.map((r) => r.id);
    return this.judged(ids, state, how);
  }
  private judged(ids: string[], state: 'open' | 'later' | 'unneeded', how = {}): Promise<void> {
    if (!ids.length) return Promise.resolve();
    return this.decide(async () => {
      await ask(api.POST('/api/proposals/judge', { body: { ids, state, ...how } }));
      this.last = state === 'open' ? [] : ids;
      return '';
    });
  }
  /** What was decided last is open again. */
  back(): Promise<void> {
    return this.judged(this.last, 'open');
  }

  accept(item = '', name = ''): Promise<void> {
    const ids = this.meant.map((r) => r.id);
    if (!ids.length) return Promise.resolve();
    return this.decide(async () => {
      const r = await ask(api.POST('/api/proposals/accept', { body: { ids, item, name } }));
      this.last = [];
      const left = r.left.map((l) => l.why);
      const n = r.covers.length;
      const made = n === 1 ? 'A cover was made and is' : `${n} covers were made and are`;
      return `${made} being followed. ${left.join(' ')}`;
    });
  }

  /** What a group is called: what it reads, or what it looks like. */
  title = (g: Group): string => {
    const like = g.rows.some((r) => r.mark) && this.list?.items.find((i) => i.id === g.asked)?.name;
    return g.text || like || this.list!.titles[g.kind]!;
  };

  /** How many are open and offered that the list asks for. */
  listed = $derived((this.list?.proposals ?? []).filter((p) => p.state === 'open' && p.offered && p.asked).length);

  /** Begins drafts of what the list asks for, or makes no more. */
  async draft(on: boolean): Promise<void> {
    const params = { path: { id: this.programme } };
    await this.decide(async () => {
      if (on) await ask(api.POST('/api/programmes/{id}/draft', { params, body: {} }));
      else await ask(api.POST('/api/programmes/{id}/draft/stop', { params }));
      return '';
    });
  }

  /** Stops looking for a picture, or goes on. */
  async seek(id: string, what: 'stop' | 'again'): Promise<void> {
    const params = { path: { id } };
    await this.decide(async () => {
      if (what === 'stop') await ask(api.POST('/api/marks/{id}/stop', { params }));
      else await ask(api.POST('/api/marks/{id}/again', { params }));
      return '';
    });
  }
  /** Looks for a picture no more. */
  async drop(id: string): Promise<void> {
    await this.decide(async () => {
      await ask(api.DELETE('/api/marks/{id}', { params: { path: { id } } }));
      return '';
    });
  }
  /** Has an item looked for by a picture of it. */
  async give(item: string, file: File): Promise<void> {
    await this.decide(async () => {
      const r = await fetch(`/api/items/${item}/marks?name=${encodeURIComponent(file.name.slice(0, 200))}`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/octet-stream' },
        body: file,
      });
      const m = await r.json();
      if (!r.ok) throw new Error(m.detail ?? m.title);
      return m.sources === 1
        ? 'One source is looked through for it.'
        : `${m.sources} sources are looked through for it.`;
    });
  }

  async find(afresh: boolean): Promise<void> {
    await this.decide(async () => {
      await ask(api.POST('/api/programmes/{id}/find', { params: { path: { id: this.programme } }, body: { afresh } }));
      return '';
    });
  }
  async rest(source: string): Promise<void> {
    await this.decide(async () => {
      await ask(api.POST('/api/sources/{id}/find/stop', { params: { path: { id: source } } }));
      return '';
    });
  }
  async offer(kind: string, rule: string): Promise<void> {
    await this.decide(async () => {
      const offers = { ...this.list!.offers, [kind]: rule };
      await ask(api.PUT('/api/programmes/{id}/offers', { params: { path: { id: this.programme } }, body: { offers } }));
      return '';
    });
  }
}
