// The clearance list of a programme: its rows, what of them is shown, and what is done
// to those that are picked.
import { api, ask, type Item, type List, type Appearance, type State } from '../api/api';
import { me } from '../shared/me';
import { ended, order } from '../shared/states';

export interface Row {
  key: string; // item/shot
  item: Item;
  appearance?: Appearance; // absent: the item is in no shot yet
  shot?: List['shots'][number];
  text: string; // what is searched, in lower case
}
export type Sort = 'shot' | 'name' | 'state' | 'due' | 'findings';

const PAGE = 24;

export class Clearance {
  list = $state.raw<List>();
  query = $state('');
  state = $state<State | 'open' | 'all'>('all');
  kind = $state('');
  who = $state('');
  sort = $state<Sort>('shot');
  limit = $state(PAGE);
  picked = $state.raw<Set<string>>(new Set());
  at = $state(''); // the row under the keys
  refused = $state.raw<{ name: string; why: string }[]>([]);
  error = $state('');

  constructor(readonly programme: string) {}

  async load(): Promise<void> {
    try {
      this.list = await ask(api.GET('/api/programmes/{id}/list', { params: { path: { id: this.programme } } }));
      this.error = '';
    } catch (e) {
      this.error = (e as Error).message;
    }
  }

  rows = $derived.by<Row[]>(() => {
    const l = this.list;
    if (!l) return [];
    const shots = new Map(l.shots.map((s, i) => [s.id, { s, i }]));
    const seen = new Map<string, Appearance[]>();
    for (const s of l.appearances) seen.set(s.item, [...(seen.get(s.item) ?? []), s]);
    const out: Row[] = [];
    for (const item of l.items) {
      for (const s of seen.get(item.id) ?? [undefined]) {
        const shot = s && shots.get(s.shot)?.s;
        const text = [
          item.name,
          item.description,
          item.reason,
          item.requester,
          item.kind,
          shot?.name,
          s?.assignee,
          s?.note,
        ]
          .join(' ')
          .toLowerCase();
        out.push({ key: `${item.id}/${s?.shot ?? ''}`, item, appearance: s, shot, text });
      }
    }
    const place = (r: Row) => (r.shot ? shots.get(r.shot.id)!.i : 1e9);
    const by: Record<Sort, (a: Row, b: Row) => number> = {
      shot: (a, b) => place(a) - place(b),
      name: (a, b) => a.item.name.localeCompare(b.item.name),
      state: (a, b) => order.indexOf(a.appearance?.state ?? 'todo') - order.indexOf(b.appearance?.state ?? 'todo'),
      due: (a, b) => (a.item.due || '9999').localeCompare(b.item.due || '9999'),
      findings: (a, b) =>
        (b.appearance?.severe ?? 0) * 1000 +
        (b.appearance?.minor ?? 0) -
        ((a.appearance?.severe ?? 0) * 1000 + (a.appearance?.minor ?? 0)),
    };
    return out.sort((a, b) => by[this.sort](a, b) || place(a) - place(b));
  });

  shown = $derived.by<Row[]>(() => {
    const words = this.query.toLowerCase().split(/\s+/).filter(Boolean);
    return this.rows.filter(
      (r) =>
        (this.state === 'all' ||
          (this.state === 'open'
            ? !ended(r.appearance?.state ?? 'todo')
            : (r.appearance?.state ?? 'todo') === this.state)) &&
        (!this.kind || r.item.kind === this.kind) &&
        (!this.who || (r.appearance?.assignee ?? '') === (this.who === '-' ? '' : this.who)) &&
        words.every((w) => r.text.includes(w)),
    );
  });

  people = $derived([...new Set(this.list?.appearances.map((s) => s.assignee).filter(Boolean))].sort());
  counts = $derived.by(() => {
    const n = Object.fromEntries(order.map((s) => [s, 0])) as Record<State, number>;
    for (const r of this.rows) n[r.appearance?.state ?? 'todo']++;
    return n;
  });

  /** What was typed or chosen shows its first rows again. */
  narrowed(): void {
    this.limit = PAGE;
  }
  more(): void {
    if (this.limit < this.shown.length) this.limit += PAGE;
  }

  pick(key: string, on = !this.picked.has(key)): void {
    const next = new Set(this.picked);
    if (on) next.add(key);
    else next.delete(key);
    this.picked = next;
  }
  /** The rows that something is done to: those picked, else the one under the keys. */
  get meant(): Row[] {
    const some = this.rows.filter((r) => this.picked.has(r.key));
    return (some.length ? some : this.rows.filter((r) => r.key === this.at)).filter((r) => r.appearance);
  }

  move(by: number): void {
    const i = this.shown.findIndex((r) => r.key === this.at);
    const next = this.shown[Math.min(Math.max(i < 0 ? 0 : i + by, 0), this.shown.length - 1)];
    if (!next) return;
    this.at = next.key;
    if (this.shown.indexOf(next) >= this.limit) this.limit = this.shown.indexOf(next) + PAGE;
  }

  async change(what: { state?: State; note?: string; assignee?: string }): Promise<void> {
    const rows = this.meant;
    if (!rows.length) return;
    try {
      const r = await ask(
        api.POST('/api/programmes/{id}/list', {
          params: { path: { id: this.programme } },
          body: { rows: rows.map((x) => ({ item: x.item.id, shot: x.appearance!.shot })), by: me.name, ...what },
        }),
      );
      this.refused = r.refused.map((x) => ({
        name: this.list!.items.find((i) => i.id === x.item)?.name ?? '',
        why: x.why,
      }));
      this.picked = new Set();
      await this.load();
    } catch (e) {
      this.error = (e as Error).message;
    }
  }
}
