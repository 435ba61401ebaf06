// The tools that an editor's hands are on all day: outlines, keys, looking.
import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import AxeBuilder from '@axe-core/playwright';
import { expect, test, type Page } from '@playwright/test';
import {
  addItem,
  bringIn,
  clip,
  core,
  corners,
  document,
  dragOn,
  evenFill,
  folder,
  frame,
  goTo,
  newProgramme,
  onScreen,
  openFootage,
  pattern,
  saved,
  selected,
  selectedThroughout,
  size,
} from '../help';

async function click(page: Page, x: number, y: number, modifiers: ('Shift' | 'Alt')[] = []): Promise<void> {
  const p = await onScreen(page, x, y);
  for (const m of modifiers) await page.keyboard.down(m);
  await page.mouse.click(p.x, p.y);
  for (const m of modifiers) await page.keyboard.up(m);
}

test('each kind of outline is drawn, edited and undone', async ({ page }) => {
  await newProgramme(page, 'Outlines');
  await bringIn(page, pattern('outlines.mp4'));
  await addItem(page, 'Sign');

  // Four corners, clicked.
  await page.keyboard.press('q');
  for (const [x, y] of [
    [100, 60],
    [180, 70],
    [175, 120],
    [95, 110],
  ])
    await click(page, x!, y!);
  await saved(page);
  let doc = await document(page);
  expect(doc.covers[0].outlines[0].shape).toBe('corners');
  expect(doc.covers[0].outlines[0].keys[0].knots.map((k: any) => [Math.round(k.p.x), Math.round(k.p.y)])).toEqual([
    [100, 60],
    [180, 70],
    [175, 120],
    [95, 110],
  ]);

  // A corner dragged at another frame: the shape is keyed, the placement is not.
  await goTo(page, '30');
  await dragOn(page, 180, 70, 190, 66);
  doc = await document(page);
  expect(doc.covers[0].outlines[0].keys.map((k: any) => k.frame)).toEqual([0, 30]);
  expect(doc.covers[0].motion.keys.map((k: any) => k.frame)).toEqual([0]);
  await page.keyboard.press('Escape');
  await goTo(page, '15');
  const corner = (await selected(page)).outlines[0].knots[1].p;
  expect(Math.hypot(corner.x - 185, corner.y - 68)).toBeLessThan(1);

  // A second outline: a free path, at 400 %, the picture moved in the middle of it.
  await page.getByRole('button', { name: 'Add outline' }).click();
  await page.keyboard.press('p');
  await page.keyboard.press('4');
  await expect.poll(async () => (await page.locator('canvas[data-main]').boundingBox())!.width).toBe(1920);
  expect(await page.locator('canvas[data-main]').evaluate((c) => getComputedStyle(c).imageRendering)).toBe('pixelated');
  await click(page, 230, 120);
  const a = await onScreen(page, 260, 130);
  await page.mouse.move(a.x, a.y);
  await page.mouse.down();
  await page.mouse.move(a.x + 60, a.y + 40, { steps: 4 });
  await page.mouse.up(); // a smooth knot
  const was = await onScreen(page, 240, 135);
  await page.keyboard.down('h');
  await page.mouse.move(500, 300);
  await page.mouse.down();
  await page.mouse.move(400, 260, { steps: 4 });
  await page.mouse.up();
  await page.keyboard.up('h');
  const now = await onScreen(page, 240, 135);
  expect([Math.round(now.x - was.x), Math.round(now.y - was.y)]).toEqual([-100, -40]);
  await click(page, 265, 160);
  await click(page, 240, 165);
  await page.keyboard.press('Backspace');
  await click(page, 235, 160);
  await page.keyboard.press('Enter');
  await saved(page);
  doc = await document(page);
  expect(doc.covers[0].outlines.map((o: any) => [o.shape, o.keys[0].knots.length])).toEqual([
    ['corners', 4],
    ['path', 4],
  ]);
  expect(doc.covers[0].outlines[1].keys[0].knots[1].out.x).toBeGreaterThan(5);
  expect(doc.covers[0].outlines[1].keys[0].frame).toBe(15);

  // A knot put in by a double click does not move the shape; several are moved at once.
  await page.keyboard.press('f');
  const area = async () => {
    const h = await selected(page);
    const d = h.outlines[1].path as string;
    return page.evaluate((d) => {
      const p = window.document.createElementNS('http://www.w3.org/2000/svg', 'path');
      p.setAttribute('d', d);
      return p.getTotalLength();
    }, d);
  };
  const length = await area();
  const knots = (await selected(page)).outlines[1].knots;
  const mid = { x: (knots[2].p.x + knots[3].p.x) / 2, y: (knots[2].p.y + knots[3].p.y) / 2 };
  const m = await onScreen(page, mid.x, mid.y);
  await page.mouse.dblclick(m.x, m.y);
  await saved(page);
  expect((await selected(page)).outlines[1].knots).toHaveLength(5);
  expect(Math.abs((await area()) - length)).toBeLessThan(0.1);
  await page.keyboard.press('Escape');
  const at = (await selected(page)).outlines[1].knots;
  await click(page, at[2].p.x, at[2].p.y);
  await click(page, at[3].p.x, at[3].p.y, ['Shift']);
  await expect(page.getByText('2 knots of 5')).toBeVisible();
  await page.keyboard.press('Alt+Shift+ArrowDown');
  await page.keyboard.press('Control+Alt+ArrowRight');
  await saved(page);
  const moved = (await selected(page)).outlines[1].knots;
  for (const i of [0, 1, 2, 3, 4]) {
    expect(moved[i].p.y - at[i].p.y).toBeCloseTo(i === 2 || i === 3 ? 10 : 0, 3);
    expect(moved[i].p.x - at[i].p.x).toBeCloseTo(i === 2 || i === 3 ? 0.1 : 0, 3);
  }
  await page.getByRole('button', { name: 'Smooth' }).click();
  await saved(page);
  expect((await selected(page)).outlines[1].knots[2].in).toBeDefined();
  await page.keyboard.press('Delete');
  await saved(page);
  expect((await selected(page)).outlines[1].knots).toHaveLength(3);
  await expect(page.getByTestId('saved')).toHaveText('Saved: removed 2 knots from Sign');

  // Everything outside is hidden when asked.
  await page.getByText('Hide all but the outline').click();
  await saved(page);
  const colour = async (x: number, y: number) =>
    page
      .locator('canvas[data-main]')
      .evaluate(
        (c: HTMLCanvasElement, [x, y]) => [
          ...c.getContext('2d')!.getImageData((x! / 480) * c.width, (y! / 270) * c.height, 1, 1).data,
        ],
        [x, y],
      );
  await page.getByLabel('What is shown').selectOption('matte');
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /matte$/);
  await expect.poll(() => colour(400, 200)).toEqual([255, 255, 255, 255]);
  expect(await colour(140, 90)).toEqual([0, 0, 0, 255]);
  await page.keyboard.press('Control+z');
  await saved(page);
  await expect.poll(() => colour(140, 90)).toEqual([255, 255, 255, 255]);
  expect(await colour(400, 200)).toEqual([0, 0, 0, 255]);
  await page.keyboard.press('m');

  // A box, and an ellipse that becomes a path, in a second item; an open path is not left behind.
  await addItem(page, 'Other');
  await dragOn(page, 300, 180, 380, 230);
  await page.getByRole('button', { name: 'Add outline' }).click();
  await page.keyboard.press('e');
  await dragOn(page, 400, 40, 450, 90);
  await page.getByRole('button', { name: 'To path' }).nth(1).click();
  await saved(page);
  doc = await document(page);
  expect(doc.covers[1].outlines.map((o: any) => o.shape)).toEqual(['box', 'path']);
  await page.keyboard.press('p');
  for (const [x, y] of [
    [320, 40],
    [340, 40],
    [345, 60],
  ])
    await click(page, x!, y!);
  await page.keyboard.press('ArrowRight');
  await expect(page.getByRole('alert')).toHaveText(/closed/);
  await saved(page);
  expect((await document(page)).covers[1].outlines).toHaveLength(3);
  await page.keyboard.press('p');
  await click(page, 320, 40);
  await page.keyboard.press('ArrowRight');
  await expect(page.getByRole('alert')).toHaveText(/discarded/);
  expect((await document(page)).covers[1].outlines).toHaveLength(3);
  await page.keyboard.press('Escape');

  // Undo all, redo all: the same document.
  const end = JSON.stringify(await document(page));
  let n = 0;
  while (await page.getByRole('button', { name: /^Undo/ }).isEnabled()) {
    await page.keyboard.press('Control+z');
    await saved(page);
    n++;
  }
  expect(n).toBeGreaterThan(10);
  expect((await document(page)).covers).toEqual([]);
  for (; n > 0; n--) {
    await page.keyboard.press('Control+Shift+z');
    await saved(page);
  }
  expect(JSON.stringify(await document(page))).toBe(end);
});

test('keys, scopes, locks, and the list of changes', async ({ page }) => {
  await newProgramme(page, 'Keys');
  await bringIn(page, pattern('keys.mp4'));
  await addItem(page, 'Thing');
  await dragOn(page, 100, 80, 160, 120);
  for (const [f, x] of [
    ['20', 150],
    ['40', 200],
  ] as const) {
    await goTo(page, f);
    const c = (await selected(page)).centre;
    await dragOn(page, c.x, c.y, x, 100);
  }
  const keys = async () =>
    (await document(page)).covers[0].motion.keys.map((k: any) => [k.frame, Math.round(k.move.x)]);
  expect(await keys()).toEqual([
    [0, 0],
    [20, 20],
    [40, 70],
  ]);

  // Over the whole span all keys move alike.
  await expect(page.getByTestId('between')).toHaveText(/Key at f 40/);
  await goTo(page, '30');
  await expect(page.getByTestId('between')).toHaveText(
    /Between keys f 20 and f 40: moves evenly. A drag adds a key at f 30/,
  );
  await page.getByRole('button', { name: 'Whole span' }).click();
  await page.keyboard.press('Alt+Shift+ArrowRight');
  await saved(page);
  expect(await keys()).toEqual([
    [0, 10],
    [20, 30],
    [40, 80],
  ]);
  await page.getByRole('button', { name: 'This frame' }).first().click();

  // Held and eased, from the card; a held one does not move before the next key.
  await page.getByRole('tab', { name: /Follow/ }).click();
  await goTo(page, '20');
  await page.getByRole('button', { name: 'Held' }).click();
  await saved(page);
  expect((await selected(page, 39)).placement.move.x).toBe((await selected(page, 20)).placement.move.x);

  // Several keys picked and dragged together; none past the span.
  const pin = (n: number) => page.getByTestId('key').nth(n);
  for (const n of [1, 2]) {
    const box = (await pin(n).boundingBox())!;
    await page.keyboard.down('Shift');
    await page.mouse.click(box.x + box.width / 2, box.y + 4);
    await page.keyboard.up('Shift');
  }
  const track = (await page.getByTestId('timeline').boundingBox())!;
  const grab = (await pin(1).boundingBox())!;
  await page.mouse.move(grab.x + grab.width / 2, grab.y + 4);
  await page.mouse.down();
  await page.mouse.move(track.x + (25.5 / 60) * track.width, grab.y + 4, { steps: 4 });
  await page.mouse.up();
  await saved(page);
  expect((await keys()).map((k: number[]) => k[0])).toEqual([0, 25, 45]);
  await page.mouse.move(track.x + (25.5 / 60) * track.width, grab.y + 4);
  await page.mouse.down();
  await page.mouse.move(track.x + track.width + 40, grab.y + 4, { steps: 4 });
  await page.mouse.up();
  await saved(page);
  expect((await keys()).map((k: number[]) => k[0])).toEqual([0, 39, 59]);

  // Copied to a frame, and onto all.
  await page.keyboard.press('Escape');
  await goTo(page, '39');
  await page.keyboard.press('Control+c');
  await goTo(page, '10');
  await page.keyboard.press('Control+v');
  await saved(page);
  expect(await keys()).toEqual([
    [0, 10],
    [10, 30],
    [39, 30],
    [59, 80],
  ]);
  await page.keyboard.press('Control+Shift+v');
  await saved(page);
  expect(new Set((await keys()).map((k: number[]) => k[1]))).toEqual(new Set([30]));
  await page.keyboard.press('Control+z');
  await saved(page);

  // A number: for the whole span until a key is asked for.
  await page.getByRole('tab', { name: /Conceal/ }).click();
  const strength = page.getByLabel('Strength', { exact: true });
  await strength.fill('80');
  await strength.press('Enter');
  await saved(page);
  expect((await document(page)).covers[0].treatments[0].strength).toBe(0.8);
  await page.getByRole('button', { name: /Strength: not keyed/ }).click();
  await saved(page);
  await goTo(page, '30');
  await page.getByRole('button', { name: /Strength: keyed, no key here/ }).click();
  await saved(page);
  await strength.fill('90'); // the whole span: both keys alike
  await strength.press('Enter');
  await saved(page);
  const values = async () =>
    (await document(page)).covers[0].treatments[0].strength.keys.map((k: any) => [k.frame, +k.value.toFixed(6)]);
  expect(await values()).toEqual([
    [10, 0.9],
    [30, 0.9],
  ]);
  await page.getByRole('button', { name: 'This frame' }).click();
  await strength.fill('50');
  await strength.press('Enter');
  await saved(page);
  expect(await values()).toEqual([
    [10, 0.9],
    [30, 0.5],
  ]);

  // The span's beginning moved: the first key holds backward, and the row shows it; a key outside is said.
  await goTo(page, '20');
  await page.keyboard.press('i');
  await saved(page);
  await page.getByRole('tab', { name: /Follow/ }).click();
  await expect(page.getByText(/2 keys lie outside the span/)).toBeVisible();
  await page.keyboard.press('Control+z');
  await saved(page);
  await goTo(page, '0');
  await page.keyboard.press('Delete');
  await saved(page);
  await expect(page.getByTestId('held-backward')).toBeVisible();

  // A point of the centre's path is dragged, from another frame.
  await page.keyboard.press('Shift+P');
  const point = (await page.getByTestId('course 59').boundingBox())!;
  const far = (await selected(page, 59)).centre;
  await page.mouse.move(point.x + point.width / 2, point.y + point.height / 2);
  await page.mouse.down();
  await page.mouse.move(point.x + point.width / 2 + 30, point.y + point.height / 2 + 60, { steps: 4 });
  await page.mouse.up();
  await saved(page);
  await expect(page.getByTestId('saved')).toHaveText('Saved: moved Thing at f 59');
  expect((await selected(page, 59)).centre.y).toBeGreaterThan(far.y + 5);
  await page.keyboard.press('Control+z');
  await saved(page);
  await page.keyboard.press('Shift+P');

  // Put away: the outline is not drawn, and what it hides stays hidden.
  await expect(page.getByTestId('selected-cover')).toHaveCount(1);
  await page.keyboard.press('Shift+U');
  await saved(page);
  await expect(page.getByTestId('selected-cover')).toHaveCount(0);
  expect((await document(page)).covers[0].off).toBeFalsy();
  await page.keyboard.press('Shift+U');
  await saved(page);

  // Locked: no drag, no key, no command moves it, and it says so.
  await page.keyboard.press('u');
  await saved(page);
  const before = JSON.stringify(await document(page));
  const c = (await selected(page)).centre;
  await dragOn(page, c.x, c.y, c.x + 30, c.y);
  await page.keyboard.press('Alt+ArrowRight');
  await expect(page.getByRole('alert')).toHaveText(/locked; unlock it first/);
  expect(JSON.stringify(await document(page))).toBe(before);
  await page.keyboard.press('Escape');

  // The list of changes: back to any of them, and it survives a reload.
  await page.keyboard.press('Control+y');
  const list = page.getByRole('dialog', { name: 'All changes' });
  await expect(list.getByRole('button', { name: /locked Thing.*shown now/ })).toBeVisible();
  await list.getByRole('button', { name: /moved Thing at f 20/ }).click();
  await saved(page);
  expect(await keys()).toEqual([
    [0, 0],
    [20, 20],
  ]);
  await page.reload();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /:/);
  await page.keyboard.press('Control+Shift+z');
  await saved(page);
  expect(await keys()).toEqual([
    [0, 0],
    [20, 20],
    [40, 70],
  ]);
});

test('looking: steady view, wipe, side by side, timecode', async ({ page }) => {
  await openFootage(page, 'quay-trike', 'Trike plate');
  await goTo(page, '40');
  await page.keyboard.press('s');
  const centre = async () => {
    const c = (await selected(page)).centre;
    const p = await onScreen(page, c.x, c.y);
    return [Math.round(p.x), Math.round(p.y)];
  };
  const at = await centre();
  const wide = (await page.locator('canvas[data-main]').boundingBox())!.width;
  expect(wide / (await size(page)).width).toBeGreaterThanOrEqual(2);
  for (let i = 0; i < 30; i++) await page.keyboard.press('ArrowRight');
  expect(await frame(page)).toBe(70);
  const there = await centre();
  expect(Math.hypot(there[0]! - at[0]!, there[1]! - at[1]!)).toBeLessThan(2);
  await page.keyboard.press('s');
  await page.keyboard.press('f');

  // The wipe's two sides, in pixels: clean left of the line, concealed right of it.
  await page.getByLabel('What is shown').selectOption('wipe');
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /^70:\d+:wipe$/);
  const box = (await page.getByTestId('picture').boundingBox())!;
  const region = await selected(page);
  const p = await onScreen(page, region.centre.x, region.centre.y);
  const drag = async (x: number) => {
    const w = (await page.getByTestId('wipe').boundingBox())!;
    await page.mouse.move(w.x + w.width / 2, box.y + 30);
    await page.mouse.down();
    await page.mouse.move(x, box.y + 30, { steps: 3 });
    await page.mouse.up();
  };
  await page.keyboard.press('Shift+x');
  const shot = async () =>
    (await page.screenshot({ clip: { x: p.x - 20, y: p.y - 8, width: 40, height: 16 } })).toString('base64');
  await drag(box.x + box.width - 20);
  const clean = await shot();
  await drag(box.x + 20);
  await expect.poll(shot).not.toBe(clean);
  await page.getByLabel('What is shown').selectOption('clean');
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /clean$/);
  await expect.poll(shot).toBe(clean);
  await page.getByLabel('What is shown').selectOption('side');
  await expect(page.getByTestId('beside').locator('canvas')).toBeVisible();
  await page.keyboard.press('d');

  // What may be typed to go somewhere.
  await goTo(page, '100');
  for (const [typed, f] of [
    [':07', 107],
    ['+10', 117],
    ['-17', 100],
    ['1:05', 30],
    ['00:00:04:00', 100],
  ] as const) {
    await goTo(page, typed);
    expect(await frame(page), typed).toBe(f);
  }
  await goTo(page, '99:00');
  await expect(page.getByRole('alert')).toBeVisible();
  expect(await frame(page)).toBe(100);
  await page.keyboard.press('Escape');
  await page.keyboard.press('Escape');

  // Around the frame and back; slowly; stopping at the end when not looping.
  await page.keyboard.press('Shift+Space');
  await expect.poll(() => frame(page)).not.toBe(100);
  await page.keyboard.press('k');
  expect(await frame(page)).toBe(100);
  await page.keyboard.press('Shift+l');
  await expect(page.getByTestId('transport')).toHaveAttribute('data-speed', '0.25');
  await page.keyboard.press('k');
  await page.keyboard.press('Shift+k');
  await goTo(page, '190');
  await page.keyboard.press('Space');
  await expect(page.getByTestId('transport')).toHaveAttribute('data-speed', '0');
  expect(await frame(page)).toBe(199);
});

test('a plate is outlined and keyed by hand in at most 25 actions', async ({ page }) => {
  const truth = corners('quay-trike');
  const plate = (f: number) => truth[f]!;
  const around = (f: number, by: number) => {
    const c = plate(f);
    return [
      Math.min(...c.map((p) => p.x)) - by,
      Math.min(...c.map((p) => p.y)) - by,
      Math.max(...c.map((p) => p.x)) + by,
      Math.max(...c.map((p) => p.y)) + by,
    ] as const;
  };
  await openFootage(page, 'quay-trike', 'Trike plate', false);
  let actions = 0;
  const press = async (k: string) => (actions++, await page.keyboard.press(k));
  // The editor draws a little more than the plate: what the camera shakes is inside.
  const fit = async () => {
    const [x0, y0, x1, y1] = around(await frame(page), 8);
    actions++;
    await dragOn(page, x0, y0, x1, y1);
  };
  await press('b');
  await fit();
  await press('Enter');
  await press('b');
  await fit();
  // By halves first; then where it is seen to slip most.
  const slips = (h: any, f: number) =>
    Math.max(
      ...plate(f).flatMap((p) => [
        Math.abs(p.x - h.centre.x) - h.size.x / 2,
        Math.abs(p.y - h.centre.y) - h.size.y / 2,
      ]),
    );
  for (let n = 0; actions + 2 <= 25; n++) {
    if (n < 2) {
      await press('Enter');
    } else {
      let worst = { f: 0, by: -Infinity };
      for (const [f, h] of (await selectedThroughout(page, truth.length)).entries()) {
        const by = slips(h, f);
        if (by > worst.by) worst = { f, by };
      }
      if (worst.by <= 0) break;
      const t = (await page.getByTestId('timeline').boundingBox())!;
      actions++;
      await page.mouse.click(t.x + ((worst.f + 0.5) / truth.length) * t.width, t.y + 6);
    }
    await fit();
  }
  expect(actions).toBeLessThanOrEqual(25);
  const keys = (await document(page)).covers[0].motion.keys.length;
  let bare = 0;
  let area = 0;
  for (const [f, h] of (await selectedThroughout(page, truth.length)).entries()) {
    if (slips(h, f) > 0) bare++;
    const [x0, y0, x1, y1] = around(f, 0);
    area += (h.size.x * h.size.y) / ((x1 - x0) * (y1 - y0)) / truth.length;
  }
  console.log(
    `${actions} actions, ${keys} keys: ${bare} of ${truth.length} frames bare, the cover ${area.toFixed(2)} times the plate's box`,
  );
  expect(bare).toBe(0);
  expect(area).toBeLessThan(2);
  // What was looked at is kept.
  await page.getByRole('tab', { name: /Follow/ }).click();
  await page.keyboard.press('Enter');
  const words = await page.getByTestId('looked').textContent();
  await page.reload();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /:/);
  await page.getByRole('tab', { name: /Follow/ }).click();
  await expect(page.getByTestId('looked')).toHaveText(words!);
  expect(words).not.toMatch(/change: [01] of/);
});

test('two browsers on one shot', async ({ page, context }) => {
  await newProgramme(page, 'Two');
  await bringIn(page, pattern('two.mp4'));
  for (const [name, x] of [
    ['First', 60],
    ['Second', 260],
  ] as const) {
    await addItem(page, name);
    await dragOn(page, x, 60, x + 80, 120);
  }
  const other = await context.newPage();
  await other.goto(page.url());
  await expect(other.getByTestId('picture')).toHaveAttribute('data-shown', /:/);

  // The second sees the first's change at once.
  const move = async (p: Page, name: string, key: string) => {
    await p
      .getByRole('navigation')
      .getByRole('button', { name: new RegExp(`^${name}`) })
      .click();
    await p.keyboard.press(key);
  };
  const x = async (p: Page, n: number) => (await core(p, 'document')).covers[n].motion.keys[0].move.x;
  await move(page, 'First', 'Alt+Shift+ArrowRight');
  await expect.poll(() => x(other, 0)).toBe(10);

  // Different covers, changed on the same base: both changes stand.
  const cut = async (p: Page, on: boolean) => p.route('**/api/shots/*', (r) => (on ? r.abort() : r.continue()));
  await other.route('**/api/events', (r) => r.abort());
  await other.reload();
  await expect(other.getByTestId('picture')).toHaveAttribute('data-shown', /:/);
  await move(page, 'First', 'Alt+Shift+ArrowRight');
  await saved(page);
  expect(await x(other, 0)).toBe(10); // it has not heard
  await move(other, 'Second', 'Alt+Shift+ArrowRight');
  await saved(other);
  await expect(other.getByTestId('conflict')).toHaveCount(0);
  expect([await x(other, 0), await x(other, 1)]).toEqual([20, 10]);
  await expect.poll(() => x(page, 1)).toBe(10);

  // The same cover: the editor is asked, with both shown; neither is lost, not even by a reload.
  await move(page, 'Second', 'Alt+Shift+ArrowDown');
  await saved(page);
  await move(other, 'Second', 'Alt+Shift+ArrowRight');
  await expect(other.getByTestId('conflict')).toContainText('moved Second at f 0');
  expect(await x(other, 1)).toBe(10);
  await other.reload();
  await expect(other.getByTestId('conflict')).toContainText('moved Second at f 0');
  await other.getByRole('button', { name: 'Put mine on top' }).click();
  await saved(other);
  expect(await x(other, 1)).toBe(20);
  await expect.poll(() => x(page, 1)).toBe(20);
  await move(page, 'Second', 'Alt+Shift+ArrowDown');
  await saved(page);
  await move(other, 'Second', 'Alt+Shift+ArrowUp');
  await other.getByRole('button', { name: 'Keep theirs' }).click();
  await expect(other.getByTestId('conflict')).toHaveCount(0);
  expect((await document(other)).covers).toEqual((await document(page)).covers);

  // A server that cannot be reached loses nothing.
  await cut(page, true);
  await page.route('**/edits', (r) => r.abort());
  await move(page, 'First', 'Alt+Shift+ArrowRight');
  await expect(page.getByRole('alert')).toHaveText(/kept here and saved when it is back/);
  await page.unroute('**/edits');
  await saved(page);
  expect((await document(page)).covers[0].motion.keys[0].move.x).toBe(30);
});

test('a whole cover by the keyboard alone', async ({ page }) => {
  await newProgramme(page, 'Keyboard');
  await bringIn(page, pattern('keyboard.mp4'));
  await page.keyboard.press('Insert');
  await page.keyboard.type('Number 7');
  await page.keyboard.press('Tab');
  await page.keyboard.press('n'); // kind: number
  await page.keyboard.press('Tab');
  await page.keyboard.press('Enter');
  await expect(page.getByText('Number 7 has no cover yet')).toBeVisible();
  await page.keyboard.press('e');
  await page.keyboard.press('Enter');
  await saved(page);
  for (const k of [
    'Alt+Shift+ArrowLeft',
    'Alt+Shift+ArrowLeft',
    'Alt+ArrowUp',
    '=',
    '=',
    '.',
    'End',
    'Alt+Shift+ArrowRight',
    'Home',
    'Enter',
    'Enter',
    'Alt+Shift+ArrowDown',
    'Shift+3',
  ]) {
    await page.keyboard.press(k);
    await saved(page);
  }
  await page.keyboard.press('g');
  await page.keyboard.type('5');
  await page.keyboard.press('Enter');
  await page.keyboard.press('i');
  await saved(page);
  const c = (await document(page)).covers[0];
  expect(c.span).toEqual({ first: 5, last: 59 });
  expect(c.motion.keys.map((k: any) => [k.frame, k.ease ?? ''])).toEqual([
    [0, ''],
    [29, 'eased'],
    [59, ''],
  ]);
  expect(c.motion.keys[0].turn).toBe(0.5);
  expect(c.motion.keys[0].size.x).toBeCloseTo(1.0201, 6);
  expect(c.motion.keys[0].move.x).toBeCloseTo(-20, 6);
  // The treatment and the delivery by Tab, Space and Enter.
  await page.keyboard.press('Alt+4');
  const deliver = page.getByRole('button', { name: 'Deliver' });
  await page.getByRole('button', { name: 'Fill' }).focus();
  await page.keyboard.press('Space');
  await saved(page);
  expect((await document(page)).covers[0].treatments[0].kind).toBe('fill');
  await deliver.focus();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('dialog', { name: 'Deliver' })).toBeVisible();
});

test('a still picture is a shot of one frame, and comes back exactly', async ({ page }) => {
  const source = clip(
    'board.png',
    '-f',
    'lavfi',
    '-i',
    'testsrc2=size=320x200:duration=0.04',
    '-frames:v',
    '1',
    '-pix_fmt',
    'rgb24',
  );
  await newProgramme(page, 'Still');
  await bringIn(page, source);
  await expect(page.getByTestId('frame')).toHaveText('f 0');
  await addItem(page, 'Word');
  await dragOn(page, 40, 40, 120, 90);
  await evenFill(page);
  await page.getByRole('button', { name: 'Deliver' }).click();
  const dialog = page.getByRole('dialog', { name: 'Deliver' });
  await dialog.getByRole('button', { name: 'Deliver' }).click();
  await expect(dialog.getByTestId('delivery')).toHaveAttribute('data-state', 'done', { timeout: 30_000 });
  await expect(dialog.getByText(/every sample outside the covers equals/)).toBeVisible();
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    dialog.getByRole('link', { name: 'Download' }).click(),
  ]);
  expect(file.suggestedFilename()).toBe('board.png');
  await file.saveAs(join(folder, 'board-out.png'));
  const rgb = (p: string) =>
    execFileSync('ffmpeg', ['-v', 'error', '-i', p, '-f', 'rawvideo', '-pix_fmt', 'rgb24', 'pipe:1'], {
      maxBuffer: 1 << 24,
    });
  const [a, b] = [rgb(source), rgb(join(folder, 'board-out.png'))];
  expect(b.length).toBe(a.length);
  const wrong = { outside: 0, inside: 0 };
  for (let y = 0; y < 200; y++) {
    for (let x = 0; x < 320; x++) {
      const i = (y * 320 + x) * 3;
      const px = [0, 1, 2].map((c) => b[i + c]);
      if (x < 33 || x > 127 || y < 33 || y > 97) wrong.outside += px.every((v, c) => v === a[i + c]) ? 0 : 1;
      else if (x > 41 && x < 119 && y > 41 && y < 89) wrong.inside += px.every((v) => v === 128) ? 0 : 1;
    }
  }
  expect(wrong).toEqual({ outside: 0, inside: 0 });
});

test('every state of the bench passes the accessibility check', async ({ page }) => {
  const clean = async (what: string) => {
    const r = await new AxeBuilder({ page }).analyze();
    expect(r.violations.map((v) => `${what}: ${v.id}: ${v.nodes.map((n) => n.target.join(' ')).join(', ')}`)).toEqual(
      [],
    );
  };
  await newProgramme(page, 'Axe');
  await bringIn(page, pattern('axe.mp4'));
  await addItem(page, 'Thing');
  await clean('drawing');
  await page.keyboard.press('q');
  for (const [x, y] of [
    [100, 60],
    [180, 70],
    [175, 120],
    [95, 110],
  ])
    await click(page, x!, y!);
  await saved(page);
  await click(page, 100, 60);
  await expect(page.getByText('One knot of 4')).toBeVisible();
  await clean('a knot picked');
  await page.keyboard.press('Escape');
  await page.keyboard.press('Alt+2');
  await page.keyboard.press('Shift+P');
  await page.keyboard.press('Enter');
  await clean('keys and course');
  await page.keyboard.press('u');
  await saved(page);
  await clean('locked');
  for (const look of ['matte', 'side', 'wipe', 'clean']) {
    await page.getByLabel('What is shown').selectOption(look);
    await clean(look);
  }
  await page.keyboard.press('Control+y');
  await expect(page.getByRole('dialog', { name: 'All changes' })).toBeVisible();
  await clean('changes');
});
