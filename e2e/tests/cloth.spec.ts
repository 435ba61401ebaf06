// A sheet that waves: followed as a plane it is told to bend, followed as cloth its cover bends along.
import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';
import {
  accessible,
  addItem,
  bringIn,
  clip,
  corners,
  document,
  dragOn,
  footage,
  goTo,
  newProgramme,
  patience,
  runsEnded,
  saved,
  selectedThroughout,
} from '../help';

type Pt = { x: number; y: number };
const name = 'chandlers-sign';
const { reference_frame: still } = JSON.parse(readFileSync(`${footage(name)}/meta.json`, 'utf8'));
const [frames, drawn] = [40, 20];

/** What the clip shows at a place of frame f lies there on the still. */
const shows = (p: Pt, f: number): Pt => ({
  x: p.x + 5 * Math.sin(p.y / 40 + f / 4),
  y: p.y + 4 * Math.sin(p.x / 60 + f / 5),
});

/** Where a place of the still lies on frame f. */
function lies(p: Pt, f: number): Pt {
  let q = p;
  for (let i = 0; i < 20; i++) {
    const s = shows(q, f);
    q = { x: q.x + p.x - s.x, y: q.y + p.y - s.y };
  }
  return q;
}

/** How far the sides of the selected cover lie from where they should, px RMS over all frames. */
async function off(page: Page, box: Pt[]): Promise<number> {
  let sum = 0;
  let n = 0;
  for (const [f, c] of (await selectedThroughout(page, frames)).entries()) {
    const sides = [...(c.outlines[0].path as string).matchAll(/C(\S+) (\S+) (\S+) (\S+) (\S+) (\S+)/g)];
    const pieces = sides.length / 4;
    for (const [i, m] of sides.entries()) {
      const k = (i + 1) / pieces; // at the end of a piece
      const [a, b] = [box[Math.floor(k) % 4]!, box[(Math.floor(k) + 1) % 4]!];
      const t = k % 1;
      const p = lies(shows({ x: a.x + t * (b.x - a.x), y: a.y + t * (b.y - a.y) }, drawn), f);
      sum += (Number(m[5]) - p.x) ** 2 + (Number(m[6]) - p.y) ** 2;
      n++;
    }
  }
  return Math.sqrt(sum / n);
}

test('what bends is told, and followed as cloth', async ({ page }) => {
  const waved = (plane: string) => `${plane}(X+5*sin((Y+.5)/40+N/4)\\,Y+4*sin((X+.5)/60+N/5))`;
  const source = clip(
    'waving.mp4',
    '-i',
    `${footage(name)}/clip.mp4`,
    '-vf',
    `select=eq(n\\,${still}),scale=640:360,loop=${frames - 1}:1:0,setpts=N/25/TB,format=yuv444p,` +
      `geq=lum='${waved('lum')}':cb='${waved('cb')}':cr='${waved('cr')}',format=yuv420p`,
    '-frames:v',
    String(frames),
    '-r',
    '25',
    '-c:v',
    'libx264',
    '-crf',
    '14',
    '-an',
  );
  await newProgramme(page, 'Waving');
  await bringIn(page, source);
  await addItem(page, 'Sign');
  await goTo(page, String(drawn));
  const quad = corners(name)[still]!.map((p) => ({ x: p.x / 2, y: p.y / 2 }));
  const [x0, x1] = [Math.max(...[0, 3].map((i) => quad[i]!.x)) + 3, Math.min(...[1, 2].map((i) => quad[i]!.x)) - 3];
  const [y0, y1] = [Math.max(...[0, 1].map((i) => quad[i]!.y)) + 3, Math.min(...[2, 3].map((i) => quad[i]!.y)) - 3];
  await dragOn(page, x0, y0, x1, y1);
  const k = (await selectedThroughout(page, frames))[drawn].outlines[0].knots as { p: Pt }[];
  const box = k.map((q) => q.p);
  await page.getByRole('tab', { name: /Follow/ }).click();
  await page.keyboard.press('v');
  await runsEnded(page, 1);
  const plane = await off(page, box);
  await expect(page.getByText(/It bends, by about \d px/)).toBeVisible();
  await page.getByRole('button', { name: 'Follow as cloth' }).click();
  await runsEnded(page, 2);
  expect((await document(page)).tracks[0].model).toBe('cloth');
  await expect(page.getByRole('button', { name: 'Follow as cloth' })).toHaveCount(0);
  const cloth = await off(page, box);
  await accessible(page);
  // The sign is plain near its rim, where nothing tells how it bends.
  expect(cloth).toBeLessThan(1.5);
  expect(plane).toBeGreaterThan(5 * cloth);

  // Its clean plate bends too, and the check finds nothing bare.
  await page.getByRole('tab', { name: /Conceal/ }).click();
  await page.getByRole('group', { name: 'Treatment' }).getByRole('button', { name: 'Surface' }).click();
  await saved(page);
  await page.keyboard.press('Control+Enter');
  await expect(page.getByTestId('check')).toHaveText('clean', { timeout: patience });
});
