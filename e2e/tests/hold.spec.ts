// Holding out: the chandler's sign, crossed by a pallet of crates, is cleared from
// import to delivery, once with a holdout found in the picture and once with one drawn;
// the delivered samples are held against the ground truth.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import {
  accessible,
  addItem,
  bringIn,
  clip,
  decode,
  document,
  dragOn,
  evenFill,
  folder,
  footage,
  goTo,
  newProgramme,
  onScreen,
  runsEnded,
  saved,
  selected,
  shotOf,
  patience,
} from '../help';

type Pt = { x: number; y: number };
const shot = footage('chandlers-sign');
const [from, frames, reference] = [56, 74, 2];
/** The clips are half as large as they were drawn. */
const [W, H] = [640, 360];
const truth: number[][] = readFileSync(`${shot}/truth.csv`, 'utf8')
  .trim()
  .split('\n')
  .slice(1 + from, 1 + from + frames)
  .map((l) => l.split(',').map(Number));
const sign = (f: number): Pt[] =>
  [0, 1, 2, 3].map((i) => ({ x: truth[f]![1 + 2 * i]! / 2, y: truth[f]![2 + 2 * i]! / 2 }));
const gray = 126; // the luma of #808080

/** The foreground's coverage, a byte a pixel, of all frames; widened or narrowed by so many samples. */
function foreground(by = 0): Buffer {
  const filter = [
    `trim=start_frame=${from}:end_frame=${from + frames}`,
    `scale=${W}:${H}`,
    ...Array<string>(Math.abs(by)).fill(by > 0 ? 'dilation' : 'erosion'),
  ].join(',');
  return execFileSync(
    'ffmpeg',
    ['-v', 'error', '-i', `${shot}/foreground.mkv`, '-vf', filter, '-f', 'rawvideo', '-pix_fmt', 'gray', 'pipe:1'],
    { maxBuffer: 1 << 30 },
  );
}

const inside = (q: Pt[], x: number, y: number) =>
  q.every((p, i) => (q[(i + 1) % 4]!.x - p.x) * (y + 0.5 - p.y) - (q[(i + 1) % 4]!.y - p.y) * (x + 0.5 - p.x) >= 0);

async function begin(page: Page, name: string): Promise<string> {
  const source = clip(
    `${name}.mp4`,
    '-i',
    `${shot}/clip.mp4`,
    '-vf',
    `trim=start_frame=${from}:end_frame=${from + frames},setpts=PTS-STARTPTS,scale=${W}:${H}`,
    '-c:v',
    'libx264',
    '-crf',
    '12',
    '-an',
  );
  await newProgramme(page, name);
  await bringIn(page, source);
  await addItem(page, 'Sign');
  await goTo(page, String(reference));
  const xs = sign(reference).map((p) => p.x);
  const ys = sign(reference).map((p) => p.y);
  await dragOn(page, Math.min(...xs) - 6, Math.min(...ys) - 6, Math.max(...xs) + 6, Math.max(...ys) + 6);
  await page.keyboard.press('v');
  await runsEnded(page, 1);
  await saved(page);
  await evenFill(page);
  await page.getByRole('tab', { name: /Hold out/ }).click();
  return source;
}

/** Delivers, and counts in each frame the sign's samples that show further than `wide`
 *  from the foreground, and the foreground's further than `deep` inside that were touched. */
async function delivered(
  page: Page,
  source: string,
  name: string,
  wide: number,
  deep: number,
): Promise<{ shown: number; touched: number; pallet: number }[]> {
  await page.getByRole('button', { name: 'Deliver' }).click();
  const dialog = page.getByRole('dialog', { name: 'Deliver' });
  await dialog.getByLabel(/Archive master/).check();
  await dialog.getByRole('button', { name: 'Deliver' }).click();
  await expect(dialog.getByTestId('delivery').first()).toHaveAttribute('data-state', 'done', { timeout: patience });
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    dialog.getByRole('link', { name: 'Download' }).click(),
  ]);
  await file.saveAs(join(folder, `${name}.mkv`));
  const [a, b, near, within] = [
    decode(source),
    decode(join(folder, `${name}.mkv`)),
    foreground(wide),
    foreground(-deep),
  ];
  const size = (W * H * 3) / 2;
  expect(b.length).toBe(frames * size);
  return Array.from({ length: frames }, (_, f) => {
    const q = sign(f);
    const sum = { shown: 0, touched: 0, pallet: 0 };
    const [p, o] = [f * W * H, f * size];
    for (let i = 0; i < W * H; i++) {
      if (within[p + i] !== 255) continue;
      sum.pallet++;
      if (a[o + i] !== b[o + i]) sum.touched++;
    }
    const [xs, ys] = [q.map((c) => c.x), q.map((c) => c.y)];
    for (let y = Math.max(Math.floor(Math.min(...ys)), 0); y <= Math.max(...ys); y++)
      for (let x = Math.floor(Math.min(...xs)); x <= Math.max(...xs); x++) {
        const i = y * W + x;
        // More of the sign than a tenth, and than noise.
        if (near[p + i] === 0 && Math.abs(b[o + i]! - gray) > 2 + 0.1 * Math.abs(a[o + i]! - gray) && inside(q, x, y))
          sum.shown++;
      }
    return sum;
  });
}

/** How many samples of a frame's matte are held out, as the server draws it. */
async function heldOut(page: Page, f: number): Promise<number> {
  const now = await shotOf(page);
  const r = await page.request.get(`/api/shots/${now.id}/patches/${now.revision.number}/${f}?matte=true&full=true`);
  const bytes = await r.body();
  let dark = 0;
  for (let i = 0; i < bytes.length; i += 4) if (bytes[i + 3] === 255 && bytes[i]! < 30) dark++;
  return dark;
}

/** The pallet as the ground truth has it: its edges, and an outline of it, frame by frame. */
function palletSeen() {
  const front = foreground();
  const solid = (f: number, x: number, y: number) => front[f * W * H + y * W + x]! > 200;
  /** The pallet's upper edge and its right ones, of the top row and of the next. */
  const edges = (f: number) => {
    const right = (y: number) => {
      for (let x = W - 1; x >= 0; x--) if (solid(f, x, y)) return x;
      return -1;
    };
    let top = 0;
    const full = (y: number) => {
      let n = 0;
      for (let x = 0; x < W; x++) n += solid(f, x, y) ? 1 : 0;
      return n;
    };
    while (top < H - 65 && full(top) < 30) top++;
    const left = (y: number) => {
      for (let x = 0; x < W; x++) if (solid(f, x, y)) return x;
      return -1;
    };
    return { top, right2: right(top + 25), right3: right(top + 85), left: left(top + 85) };
  };
  const shape = (f: number) => {
    const p = edges(f);
    const x3 = p.right3 + 2;
    return [
      { x: x3 - 235, y: p.top - 2 },
      { x: p.right2 + 2, y: p.top - 2 },
      { x: p.right2 + 2, y: p.top + 56 },
      { x: x3, y: p.top + 56 },
      { x: x3, y: 320 },
      { x: x3 - 235, y: 320 },
    ];
  };
  return { edges, shape };
}

test('what passes in front is found, looked at, accepted and painted on', async ({ page }) => {
  await begin(page, 'looked-for');
  await page.getByRole('button', { name: /Find what is in front/ }).click();
  await expect(page.getByTestId('looking')).toBeVisible();
  await runsEnded(page, 1, true);
  await saved(page);

  // It is shown, and holds out nothing before it is accepted.
  await goTo(page, '40');
  await expect(page.getByTestId('found-here')).toContainText('not accepted yet');
  await expect(page.getByTestId('front')).toHaveAttribute('data-accepted', 'false');
  const before = await heldOut(page, 40);
  const stretches = page.getByRole('list', { name: 'Stretches found' }).getByRole('listitem');
  await expect(stretches).toHaveCount(1);
  await stretches.getByRole('button', { name: 'Accept' }).click();
  await saved(page);
  await expect(page.getByTestId('found-here')).toContainText('held out');
  expect((await heldOut(page, 40)) - before).toBeGreaterThan(2500);
  await expect(page.getByTestId('held-out')).toBeVisible();
  await accessible(page);

  // The brush takes away on this frame alone, and undo brings it back.
  const whole = await heldOut(page, 40);
  await page.getByRole('button', { name: 'Take away' }).click();
  await dragOn(page, 280, 125, 330, 130);
  expect(whole - (await heldOut(page, 40))).toBeGreaterThan(300);
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+z');
  await saved(page);
  expect(await heldOut(page, 40)).toBe(whole);
  // On the whole stretch it is carried along with the pallet.
  await page.getByRole('button', { name: 'Take away' }).click();
  await page.getByLabel('On the whole stretch, carried along').check();
  await dragOn(page, 280, 125, 330, 130);
  const moved = (await document(page)).covers.find((c: any) => c.proposed).proposed.strokes[0];
  expect(moved.span.last - moved.span.first).toBeGreaterThan(40);
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+z');
  await saved(page);
});

test('what was found is looked for again, and delivered with the foreground untouched', async ({ page }) => {
  const source = await begin(page, 'found');
  await page.getByRole('button', { name: /Find what is in front/ }).click();
  await runsEnded(page, 1, true);
  await goTo(page, '40');
  await page.keyboard.press('Shift+Enter');
  await saved(page);
  await expect(page.getByTestId('held-out')).toBeVisible();

  // Looking again with other settings lets nothing stay accepted unseen.
  await page.getByLabel('Sensitivity').fill('45');
  await page.getByLabel('Sensitivity').press('Enter');
  await page.getByRole('button', { name: 'Look again' }).click();
  await runsEnded(page, 2, true);
  await saved(page);
  await expect(page.getByTestId('held-out')).toHaveCount(0);
  await goTo(page, '30');
  await page.keyboard.press('Shift+Enter');
  await saved(page);
  await expect(page.getByTestId('held-out')).toBeVisible();

  const mattes = await page.request.get(
    (await page.getByRole('link', { name: /a PNG for each frame/ }).getAttribute('href'))!,
  );
  expect((await mattes.body()).subarray(0, 2).toString()).toBe('PK');
  await page.keyboard.press('Shift+Escape');
  const sums = await delivered(page, source, 'found', 4, 5);
  console.log(
    'found: most shown',
    Math.max(...sums.map((s) => s.shown)),
    'most touched',
    Math.max(...sums.map((s) => s.touched / Math.max(s.pallet, 1))),
    'all',
    sums.reduce((n, s) => n + s.touched, 0),
    'of',
    sums.reduce((n, s) => n + s.pallet, 0),
  );
  for (const [f, s] of sums.entries()) {
    expect(s.shown, `frame ${f}: samples of the sign that show`).toBe(0);
    expect(s.touched, `frame ${f}: samples of the pallet that were touched`).toBeLessThanOrEqual(0.035 * s.pallet);
  }
});

test('a holdout is drawn through the four frames of a crossing', async ({ page }) => {
  const source = await begin(page, 'drawn');
  const { edges, shape } = palletSeen();
  const marks = [12, 28, 44, 66];

  // Drawn where all of it is seen; that frame counts as the first until another is marked.
  await goTo(page, String(marks[1]));
  await page.getByRole('button', { name: 'What passes in front: a path' }).click();
  const at = shape(marks[1]!);
  for (const p of [...at, at[0]!]) {
    const s = await onScreen(page, p.x, p.y);
    await page.mouse.click(s.x, s.y);
  }
  await saved(page);
  await expect(page.getByTestId('crossing-advice')).toContainText('covers most');
  let was = edges(marks[1]!);
  const move = async (f: number) => {
    const now = edges(f);
    const middle = (await selected(page)).centre as Pt;
    await dragOn(
      page,
      middle.x,
      middle.y + 30,
      middle.x + (f > marks[1]! ? now.left - was.left : now.right3 - was.right3),
      middle.y + 30 + now.top - was.top,
    );
    was = now;
  };
  await goTo(page, String(marks[0]));
  await page.getByRole('button', { name: '1 First touches' }).click();
  await saved(page);
  await move(marks[0]!);
  await goTo(page, String(marks[1]));
  await page.keyboard.press('Shift+m');
  was = edges(marks[1]!);
  for (const f of marks.slice(2)) {
    await goTo(page, String(f));
    await move(f);
    await page.keyboard.press('Shift+m');
    await saved(page);
  }
  const doc = await document(page);
  expect(doc.covers[1]).toMatchObject({
    crossing: marks,
    span: { first: marks[0], last: marks[3] },
    holdsOut: [doc.covers[0].id],
  });
  await expect(page.getByTestId('crossing-advice')).toContainText('All four are marked');
  await expect(page.getByTestId('holdout-row').getByRole('button')).toHaveCount(4);
  const sums = await delivered(page, source, 'drawn', 20, 9);
  const [first, last] = [marks[0]!, marks[3]!];
  console.log(
    'drawn: shown',
    Math.max(...sums.map((s) => s.shown)),
    'touched',
    sums
      .slice(first, last + 1)
      .map((s) => s.touched)
      .join(' '),
  );
  for (const [f, s] of sums.entries()) {
    expect(s.shown, `frame ${f}: samples of the sign that show`).toBe(0);
    if (f >= first && f <= last) expect(s.touched, `frame ${f}: samples of the pallet that were touched`).toBe(0);
  }
});
