// Saving on its own: whatever happens to the line, no edit is lost and none is made twice.
import { expect, test } from '@playwright/test';
import { newCore, type Ask } from './core';
import { Server, type Fault } from './server';

const cover = (id: string) => ({
  id,
  name: id,
  span: { first: 0, last: 99 },
  outlines: [
    {
      id: 'o1',
      shape: 'box',
      keys: [{ frame: 0, knots: [0, 1, 2, 3].map((i) => ({ p: { x: i % 3 ? 90 : 20, y: i > 1 ? 60 : 20 } })) }],
    },
  ],
  motion: { pivot: { x: 0, y: 0 }, keys: [] },
  grow: 0,
  soften: { across: 0, down: 0 },
  treatments: [],
});
const add = (id: string) => ({ do: 'add' as const, new: cover(id) as any });
const rename = (id: string, name: string) => ({ do: 'rename' as const, cover: id, name });

/** A bench with a server, a core of its own and what it was told. */
async function bench() {
  const server = await Server.start();
  server.apply([add('mine'), add('theirs')]);
  const core: Ask = await newCore();
  const { Saves } = await import('../../web/src/bench/saves');
  const told = { said: [] as string[], conflict: undefined as any, waiting: 0, shown: 0 };
  const open = () => {
    const saves = new Saves(
      'shot',
      {
        document: () => {},
        shown: (r: any) => {
          told.shown = r.number;
          core('load', { document: r.document });
        },
        waiting: (n: number) => (told.waiting = n),
        conflict: (c: any) => (told.conflict = c),
        say: (e: unknown) => told.said.push(e instanceof Error ? e.message : String(e)),
        outlines: () => '',
        known: async () => {},
        painted: async () => {},
      },
      1,
    );
    core('load', { document: server.document });
    saves.begin(structuredClone(server.revision));
    return saves;
  };
  const saves = open();
  /** As the session does it: shown at once, then saved. */
  const edit = (commands: any[], to = saves) => {
    core('apply', { commands });
    core('keep');
    return to.add({ commands });
  };
  const names = () => Object.fromEntries(server.document.covers.map((c: any) => [c.id, c.name]));
  const unsaved = () => localStorage.getItem('celator.unsaved.shot');
  return { server, core, saves, open, told, edit, names, unsaved };
}

test('edits are saved in their order, and nothing is left behind', async () => {
  const b = await bench();
  await Promise.all(['a', 'b', 'c'].map((n) => b.edit([rename('mine', n)])));
  expect([b.names().mine, b.server.head, b.told.shown]).toEqual(['c', 4, 4]);
  expect([b.told.waiting, b.unsaved(), b.told.said]).toEqual([0, null, []]);
});

test('any line, any database: every edit is made once', async () => {
  for (let seed = 1; seed <= 12; seed++) {
    let x = seed;
    const random = (n: number) => (x = (x * 48271) % 2147483647) % n;
    const b = await bench();
    const faults: Fault[] = ['none', 'none', 'unreachable', 'answer lost', 'database away', 'somebody else'];
    b.server.fault = () => faults[random(faults.length)]!;
    const made = [];
    for (let i = 0; i < 12; i++) {
      made.push(b.edit([{ do: 'set', cover: 'mine', lane: 'grow', number: i, frame: 0 }, add(`c${i}`)]));
      if (random(2)) await new Promise((r) => setTimeout(r, random(5)));
    }
    await Promise.all(made);
    b.server.fault = () => 'none';
    const ids = b.server.document.covers.map((c: any) => c.id);
    expect(ids.filter((id: string) => id.startsWith('c')).sort(), `seed ${seed}`).toEqual(
      Array.from({ length: 12 }, (_, i) => `c${i}`).sort(),
    );
    expect(b.server.document.covers.find((c: any) => c.id === 'mine').grow).toBe(11);
    expect([b.told.waiting, b.unsaved(), b.told.conflict]).toEqual([0, null, undefined]);
  }
});

test('two who change the same cover are asked, and both answers stand', async () => {
  for (const mine of [true, false]) {
    const b = await bench();
    b.server.apply([rename('mine', 'theirs, meanwhile')]);
    await b.edit([rename('mine', 'mine')]);
    expect(b.told.conflict).toMatchObject({ label: 'renamed theirs, meanwhile to mine' });
    expect(b.unsaved()).toContain('mine');
    await b.saves.resolve(mine);
    expect(b.names().mine).toBe(mine ? 'mine' : 'theirs, meanwhile');
    expect([b.told.conflict, b.unsaved()]).toEqual([undefined, null]);
  }
});

test('what a closed tab could not save is saved by the next', async () => {
  const b = await bench();
  b.server.fault = () => 'unreachable';
  void b.edit([rename('mine', 'kept')]);
  await expect.poll(() => b.told.said.length).toBeGreaterThan(2);
  expect(b.told.said[0]).toMatch(/cannot be reached. Your changes are kept/);
  b.saves.close();
  b.server.fault = () => 'none';
  b.open();
  await expect.poll(() => b.names().mine).toBe('kept');
  await expect.poll(() => b.unsaved()).toBe(null);
});

test('what was saved while its tab was closing is not saved again', async () => {
  const b = await bench();
  b.server.fault = () => 'answer lost';
  void b.edit([add('late'), rename('mine', 'once')]);
  await expect.poll(() => b.told.said.length).toBeGreaterThan(0);
  b.saves.close();
  b.server.fault = () => 'none';
  const head = b.server.head;
  b.open();
  await expect.poll(() => b.unsaved()).toBe(null);
  expect([b.server.head, b.names().mine, b.told.conflict]).toEqual([head, 'once', undefined]);
});

test('a shot that is gone is said once, and not asked for again', async () => {
  const b = await bench();
  b.server.gone = true;
  await b.edit([rename('mine', 'x')]);
  expect(b.told.said).toHaveLength(1);
  expect(b.told.said[0]).toMatch(/not there any more/);
  const asked = b.server.requests;
  await new Promise((r) => setTimeout(r, 50));
  expect([b.server.requests, b.told.waiting]).toEqual([asked, 0]);
});

test('what the server refuses is said, and its own is shown', async () => {
  const b = await bench();
  await b.saves.add({ commands: [{ do: 'remove', cover: 'nobody' }] });
  expect(b.told.said[0]).toMatch(/not there any more/);
  expect([b.told.shown, b.told.waiting, b.unsaved()]).toEqual([1, 0, null]);
});
