// How many actions a job takes from an empty bench to a clean check: what an editor does is
// counted, and must not become more.
import { expect, test, type Page } from '@playwright/test';
import { corners, document, dragOn, goTo, openFootage, runsEnded, saved, selectedThroughout } from '../help';

/** Counts what is done: a click, a drag, a key, a text typed and entered. */
class Editor {
  actions = 0;
  constructor(readonly page: Page) {}
  press(key: string) {
    this.actions++;
    return this.page.keyboard.press(key);
  }
  click(name: string | RegExp) {
    this.actions++;
    return this.page.getByRole('button', { name }).first().click();
  }
  drag(x0: number, y0: number, x1: number, y1: number) {
    this.actions++;
    return dragOn(this.page, x0, y0, x1, y1);
  }
  async enter(label: string, text: string) {
    this.actions++;
    await this.page.getByLabel(label, { exact: true }).fill(text);
    await this.page.keyboard.press('Enter');
  }
}

const checked = (page: Page) =>
  expect(page.getByTestId('check')).toHaveText(/clean|severe|minor/, { timeout: 150_000 });

/** The severe findings of the shot, in words. */
async function severe(page: Page): Promise<string[]> {
  const id = new URL(page.url()).pathname.split('/').pop()!;
  const { findings } = await (await page.request.get(`/api/shots/${id}/check`)).json();
  return findings.filter((f: any) => f.severity === 'severe').map((f: any) => `${f.kind} ${JSON.stringify(f.frames)}`);
}

/** Frames of a span on which a corner of the thing is not under the cover. */
async function bare(page: Page, truth: { x: number; y: number }[][], first = 0, last = truth.length - 1) {
  const inside = (quad: { x: number; y: number }[], p: { x: number; y: number }) => {
    const side = quad.map((a, i) => {
      const b = quad[(i + 1) % quad.length]!;
      return (b.x - a.x) * (p.y - a.y) - (b.y - a.y) * (p.x - a.x);
    });
    return side.every((s) => s >= -40) || side.every((s) => s <= 40);
  };
  const all = await selectedThroughout(page, truth.length);
  const out: number[] = [];
  for (let f = first; f <= last; f++) {
    const quad = all[f].outlines[0].knots.map((k: any) => k.p);
    if (!all[f].inside || !truth[f]!.every((p) => inside(quad, p))) out.push(f);
  }
  return out;
}

const around = (c: { x: number; y: number }[], by: number) =>
  [
    Math.min(...c.map((p) => p.x)) - by,
    Math.min(...c.map((p) => p.y)) - by,
    Math.max(...c.map((p) => p.x)) + by,
    Math.max(...c.map((p) => p.y)) + by,
  ] as const;

test('a tracked plate takes four actions', async ({ page }) => {
  test.setTimeout(240_000);
  await openFootage(page, 'quay-trike', 'Trike plate', false);
  const truth = corners('quay-trike');
  const e = new Editor(page);
  await goTo(page, '20');
  await e.press('b');
  await e.drag(...around(truth[20]!, 5));
  await saved(page);
  await e.press('v');
  await runsEnded(page, 1);
  await e.press('Control+Enter');
  await checked(page);
  expect(await severe(page)).toEqual([]);
  expect(e.actions).toBeLessThanOrEqual(4);
});

test('a tracked sign with a soft edge and a treatment of its own takes at most eight', async ({ page }) => {
  test.setTimeout(240_000);
  await openFootage(page, 'chandlers-sign', 'Sign', false);
  const truth = corners('chandlers-sign');
  const e = new Editor(page);
  await goTo(page, '5');
  await e.press('b');
  await e.drag(...around(truth[5]!, 6));
  await e.enter('Soften', '12');
  await saved(page);
  await e.press('v');
  await runsEnded(page, 1);
  await e.press('Alt+4');
  await e.click('Fill');
  await saved(page);
  await e.press('Control+Enter');
  await checked(page);
  expect(await severe(page)).toEqual([]);
  expect(e.actions).toBeLessThanOrEqual(8);
  expect((await document(page)).covers[0].treatments[0].kind).toBe('fill');
});

test('a screen’s text in a part of the shot takes at most six', async ({ page }) => {
  test.setTimeout(240_000);
  await openFootage(page, 'chandlers-sign', 'Line', false);
  const truth = corners('chandlers-sign');
  const e = new Editor(page);
  await goTo(page, '10');
  await e.press('b');
  await e.drag(...around(truth[10]!, 6));
  await e.press('i');
  await goTo(page, '60');
  await e.press('o');
  await saved(page);
  await goTo(page, '10');
  await e.press('v');
  await runsEnded(page, 1);
  await e.press('Control+Enter');
  await checked(page);
  const { span } = (await document(page)).covers[0];
  expect([span.first, span.last]).toEqual([10, 60]);
  expect(await bare(page, truth, 10, 60)).toEqual([]);
  expect(e.actions).toBeLessThanOrEqual(6);
});
