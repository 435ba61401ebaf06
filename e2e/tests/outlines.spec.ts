// Outlines drawn and edited by hand.
import { expect, test, type Page } from '@playwright/test';
import {
  addItem,
  bringIn,
  clickOn,
  document,
  dragOn,
  drawCorners,
  goTo,
  newProgramme,
  onScreen,
  pattern,
  saved,
  selected,
} from '../help';

/** A path of four knots, the second smooth, drawn at frame 15; meanwhile is called between its knots. */
async function drawPath(page: Page, meanwhile?: () => Promise<void>): Promise<void> {
  await goTo(page, '15');
  await page.getByRole('button', { name: 'Add outline' }).click();
  await page.keyboard.press('p');
  await clickOn(page, 230, 120);
  const a = await onScreen(page, 260, 130);
  await page.mouse.move(a.x, a.y);
  await page.mouse.down();
  await page.mouse.move(a.x + 60, a.y + 40, { steps: 4 });
  await page.mouse.up(); // a smooth knot
  await meanwhile?.();
  await clickOn(page, 265, 160);
  await clickOn(page, 240, 165);
  await page.keyboard.press('Backspace');
  await clickOn(page, 235, 160);
  await page.keyboard.press('Enter');
  await saved(page);
}

async function covered(page: Page, name: string): Promise<void> {
  await newProgramme(page, name);
  await bringIn(page, pattern(`${name}.mp4`));
  await addItem(page, 'Sign');
  await drawCorners(page);
}

test('four corners are clicked, and one dragged at another frame keys the shape alone', async ({ page }) => {
  await covered(page, 'Corners');
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
});

test('a free path is drawn at 400 %, the picture moved in the middle of it', async ({ page }) => {
  await covered(page, 'Paths');
  await page.keyboard.press('4');
  await expect.poll(async () => (await page.locator('canvas[data-main]').boundingBox())!.width).toBe(1920);
  expect(await page.locator('canvas[data-main]').evaluate((c) => getComputedStyle(c).imageRendering)).toBe('pixelated');
  await drawPath(page, async () => {
    const was = await onScreen(page, 240, 135);
    await page.keyboard.down('h');
    await page.mouse.move(500, 300);
    await page.mouse.down();
    await page.mouse.move(400, 260, { steps: 4 });
    await page.mouse.up();
    await page.keyboard.up('h');
    const now = await onScreen(page, 240, 135);
    expect([Math.round(now.x - was.x), Math.round(now.y - was.y)]).toEqual([-100, -40]);
  });
  const doc = await document(page);
  expect(doc.covers[0].outlines.map((o: any) => [o.shape, o.keys[0].knots.length])).toEqual([
    ['corners', 4],
    ['path', 4],
  ]);
  expect(doc.covers[0].outlines[1].keys[0].knots[1].out.x).toBeGreaterThan(5);
  expect(doc.covers[0].outlines[1].keys[0].frame).toBe(15);
});

test('a knot put in does not move the shape, several are moved at once, and all is undone', async ({ page }) => {
  await covered(page, 'Knots');
  await drawPath(page);
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
  await clickOn(page, at[2].p.x, at[2].p.y);
  await clickOn(page, at[3].p.x, at[3].p.y, ['Shift']);
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

  // Undo all, redo all: the same document.
  const end = JSON.stringify(await document(page));
  let n = 0;
  while (await page.getByRole('button', { name: /^Undo/ }).isEnabled()) {
    await page.keyboard.press('Control+z');
    await saved(page);
    n++;
  }
  expect(n).toBeGreaterThanOrEqual(7);
  expect((await document(page)).covers).toEqual([]);
  for (; n > 0; n--) {
    await page.keyboard.press('Control+Shift+z');
    await saved(page);
  }
  expect(JSON.stringify(await document(page))).toBe(end);
});

test('everything outside an outline is hidden when asked', async ({ page }) => {
  await covered(page, 'Inverse');
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
});

test('a box, an ellipse that becomes a path, and an open path that is not left behind', async ({ page }) => {
  await newProgramme(page, 'Forms');
  await bringIn(page, pattern('forms.mp4'));
  await addItem(page, 'Other');
  await dragOn(page, 300, 180, 380, 230);
  await page.getByRole('button', { name: 'Add outline' }).click();
  await page.keyboard.press('e');
  await dragOn(page, 400, 40, 450, 90);
  await page.getByRole('button', { name: 'To path' }).nth(1).click();
  await saved(page);
  const doc = await document(page);
  expect(doc.covers[0].outlines.map((o: any) => o.shape)).toEqual(['box', 'path']);
  await page.keyboard.press('p');
  for (const [x, y] of [
    [320, 40],
    [340, 40],
    [345, 60],
  ])
    await clickOn(page, x!, y!);
  await page.keyboard.press('ArrowRight');
  await expect(page.getByRole('alert')).toHaveText(/closed/);
  await saved(page);
  expect((await document(page)).covers[0].outlines).toHaveLength(3);
  await page.keyboard.press('p');
  await clickOn(page, 320, 40);
  await page.keyboard.press('ArrowRight');
  await expect(page.getByRole('alert')).toHaveText(/discarded/);
  expect((await document(page)).covers[0].outlines).toHaveLength(3);
});
