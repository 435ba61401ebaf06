// Place and size as numbers, corrections that reach as far as they are told, a cover that
// leaves the picture, and a surface tracked anew.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import {
  addItem,
  attempts,
  bringIn,
  clip,
  document,
  dragOn,
  folder,
  frame,
  goTo,
  newProgramme,
  pattern,
  runsEnded,
  saved,
  selected,
  selectedThroughout,
  shotOf,
} from '../help';

/** A box on a resting picture, drawn on its first frame. */
async function boxed(page: Page, name: string): Promise<void> {
  await newProgramme(page, name);
  await bringIn(page, pattern(`${name}.mp4`));
  await addItem(page, 'Thing');
  await dragOn(page, 100, 80, 200, 140);
  await saved(page);
}

/** A textured picture that goes 2 px to the left and 2 px up with every frame. */
function moving(name: string, frames: number): string {
  const [w, h] = [160, 96];
  let seed = 7;
  const pixels = Buffer.from(Array.from({ length: w * h }, () => 40 + ((seed = (seed * 48271) % 2147483647) % 180)));
  const noise = join(folder, 'noise.pgm');
  writeFileSync(noise, Buffer.concat([Buffer.from(`P5 ${w} ${h} 255\n`), pixels]));
  const pan = `scale=800:480:flags=bicubic,crop=480:270:x='20+2*n':y='20+2*n',format=yuv420p`;
  const codec = ['-c:v', 'libx264', '-crf', '10'];
  return clip(name, '-loop', '1', '-r', '25', '-i', noise, '-vf', pan, '-frames:v', String(frames), ...codec);
}

const keys = async (page: Page) => (await document(page)).covers[0].motion.keys;
const frames = async (page: Page) => (await keys(page)).map((k: any) => k.frame);
const field = (page: Page, name: string) => page.getByLabel(name, { exact: true });

test('numbers are reckoned, keyed as they are, and typed one after another as one key', async ({ page }) => {
  await boxed(page, 'Numbers');
  await goTo(page, '30');
  await field(page, 'Centre across').press('Enter'); // as it is
  await saved(page);
  expect(await frames(page)).toEqual([0, 30]);

  await goTo(page, '40');
  const before = (await shotOf(page)).revision.number;
  await field(page, 'Centre across').fill('+12');
  await field(page, 'Centre across').press('Tab');
  await field(page, 'Centre down').fill('240/2');
  await field(page, 'Centre down').press('Tab');
  await field(page, 'Width').fill('*1.5');
  await field(page, 'Width').press('Tab');
  await field(page, 'Height').fill('-10');
  await field(page, 'Height').press('Enter');
  await saved(page);
  const c = await selected(page);
  expect([c.centre.x, c.centre.y, c.size.x, c.size.y].map(Math.round)).toEqual([162, 120, 150, 50]);
  expect((await shotOf(page)).revision.number).toBe(before + 1);
  expect(await frames(page)).toEqual([0, 30, 40]);

  // Dragged on its label; nothing is saved on the way.
  const label = page.getByText('w', { exact: true });
  const at = (await label.boundingBox())!;
  await page.mouse.move(at.x + 4, at.y + 6);
  await page.mouse.down();
  await page.mouse.move(at.x + 34, at.y + 6, { steps: 4 });
  await page.mouse.up();
  await saved(page);
  expect(Math.round((await selected(page)).size.x)).toBe(160);
  expect((await shotOf(page)).revision.number).toBe(before + 2);
  // Typed, and taken back before it was one.
  await field(page, 'Centre across').fill('300');
  await field(page, 'Centre across').press('Tab');
  await page.keyboard.press('Escape');
  expect(Math.round((await selected(page)).centre.x)).toBe(162);
  expect((await shotOf(page)).revision.number).toBe(before + 2);
});

test('a cover is held up to a movement, and its size keyed without its place', async ({ page }) => {
  await boxed(page, 'Held');
  await goTo(page, '40');
  await dragOn(page, 150, 110, 250, 110);
  await goTo(page, '20');
  await page.keyboard.press('Shift+Y');
  await saved(page);
  const xs = (await selectedThroughout(page, 41)).map((s) => Math.round(s.centre.x));
  expect(new Set(xs.slice(0, 21))).toEqual(new Set([150]));
  expect(xs[30]).toBe(200);

  await page.getByLabel('Key only what is changed').check();
  await goTo(page, '30');
  await field(page, 'Width').fill('*2');
  await field(page, 'Width').press('Enter');
  await saved(page);
  expect((await keys(page)).find((k: any) => k.frame === 30).free).toEqual({ place: true, turn: true });
  await page.keyboard.press('Alt+2');
  await goTo(page, '20');
  await page.getByRole('button', { name: 'Eased' }).click();
  await saved(page);
  // The place eases past the size's key as if it were not there.
  const eased = (await selectedThroughout(page, 41)).map((s) => s.centre.x);
  expect(eased[30]).toBeCloseTo(200, 1);
  expect(eased[25]).toBeCloseTo(150 + 100 * (0.25 * 0.25 * (3 - 0.5)), 1);
});

test('a box drawn onto the edge of the picture keeps its size', async ({ page }) => {
  await boxed(page, 'Edge');
  await goTo(page, '30');
  await page.keyboard.press('b');
  await dragOn(page, -6, 100, 30, 160); // what is seen of it
  await saved(page);
  const c = await selected(page);
  expect(Math.round(c.size.x)).toBe(100);
  expect(Math.abs(c.centre.x + 20)).toBeLessThan(1.5);
  expect(Math.abs(c.centre.y - 130)).toBeLessThan(1.5);
});

test('a duplicate has the motion and a treatment of its own', async ({ page }) => {
  await boxed(page, 'Twice');
  await goTo(page, '40');
  await dragOn(page, 150, 110, 250, 110);
  await saved(page);
  await page.keyboard.press('Control+d');
  await saved(page);
  const list = page.getByRole('navigation', { name: 'Items of this shot' });
  await expect(list.getByRole('button', { name: /^Thing 2/ })).toHaveAttribute('aria-current', 'true');
  await page.keyboard.press('Alt+4');
  await page.getByRole('group', { name: 'Treatment' }).getByRole('button', { name: 'Fill', exact: true }).click();
  await saved(page);
  const [one, two] = (await document(page)).covers;
  expect(two.motion).toEqual(one.motion);
  expect(two.item).not.toBe(one.item);
  expect([one.treatments[0].kind, two.treatments[0].kind]).toEqual(['blur', 'fill']);
});

test('a surface is tracked anew from any frame, and corrections reach as far as they are told', async ({ page }) => {
  await newProgramme(page, 'Anew');
  await bringIn(page, moving('Anew.mp4', 60));
  await addItem(page, 'Mark');
  await dragOn(page, 200, 140, 300, 210);
  await page.keyboard.press('v');
  await runsEnded(page, 1);
  expect(await frame(page)).toBe(0); // the editor is where they were
  const first = (await document(page)).tracks[0];
  expect(first.frame).toBe(0);
  const lies = async () => (await selectedThroughout(page, 60)).map((s) => s.centre);
  /** On every frame as far from where it was drawn as the picture went. */
  const rides = async () => {
    const all = await lies();
    const drawn = all[0]!;
    for (const [f, c] of all.entries())
      expect(Math.hypot(c.x - drawn.x + 2 * f, c.y - drawn.y + 2 * f), `frame ${f}`).toBeLessThan(0.5);
  };
  await rides();

  // Another surface, drawn on another frame: it is followed, and the old one stays to go back to.
  await goTo(page, '30');
  await page.keyboard.press('Shift+Q');
  await dragOn(page, 150, 60, 330, 200);
  const drawn = page.getByRole('button', { name: 'Track the new surface from f 30' });
  await expect(drawn).toBeVisible();
  await drawn.click();
  await runsEnded(page, 2);
  const second = (await document(page)).tracks[0];
  expect([second.id, second.frame]).toEqual([first.id, 30]);
  expect(await frame(page)).toBe(30);
  await rides();
  const ranking = page.getByRole('table', { name: /Attempts/ });
  await ranking.getByRole('button', { name: /^f 0,/ }).click();
  await saved(page);
  expect((await document(page)).tracks[0].attempt).toBe(first.attempt);
  expect(await attempts(page)).toHaveLength(2);

  // Around here: nothing changes beyond its reach, which the row shows.
  const before = await lies();
  await page.keyboard.press('Alt+1');
  await field(page, 'Fades over').fill('8');
  await field(page, 'Fades over').press('Enter');
  await page.keyboard.press('Alt+Shift+ArrowRight');
  await saved(page);
  const away = async () => (await lies()).map((c, f) => c.x - before[f]!.x);
  let by = await away();
  expect(by[30]).toBeCloseTo(10, 1);
  expect(by[26]).toBeCloseTo(5, 1);
  for (const f of [0, 10, 22, 38, 50]) expect(by[f], `frame ${f}`).toBeCloseTo(0, 3);
  await expect(page.getByTestId('correction')).toHaveAttribute('title', 'Corrected, f 23–37');
  // Its end is dragged.
  const end = (await page.getByRole('button', { name: /^Key at frame 38/ }).boundingBox())!;
  const row = (await page.getByTestId('timeline').boundingBox())!;
  await page.mouse.move(end.x + end.width / 2, end.y + 20);
  await page.mouse.down();
  await page.mouse.move(row.x + (row.width * 48.5) / 60, end.y + 20, { steps: 5 });
  await page.mouse.up();
  await saved(page);
  by = await away();
  expect(by[39]).toBeCloseTo(5, 1);
  expect(by[48]).toBeCloseTo(0, 3);

  // From here on.
  await goTo(page, '50');
  await page.getByRole('button', { name: 'From here on' }).click();
  await page.keyboard.press('Alt+Shift+ArrowRight');
  await saved(page);
  by = await away();
  expect(by[49]).toBeCloseTo(0, 3);
  for (const f of [50, 55, 59]) expect(by[f], `frame ${f}`).toBeCloseTo(10, 1);
});
