// Following: one plate from its outline to delivered pixels with the tracker, an
// anchor and a correction, held against the ground truth in every frame.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import {
  accessible,
  addItem,
  bringIn,
  clip,
  core,
  coreEach,
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
  selectedThroughout,
  patience,
} from '../help';

type Pt = { x: number; y: number };
const shot = footage('quay-trike');
const [from, frames, reference] = [70, 90, 76];
const truth: number[][] = readFileSync(`${shot}/truth.csv`, 'utf8')
  .trim()
  .split('\n')
  .slice(1 + from, 1 + from + frames)
  .map((l) => l.split(',').map(Number));
const [W, H] = [1280, 720];
const plate = (f: number): Pt[] => [0, 1, 2, 3].map((i) => ({ x: truth[f]![1 + 2 * i]!, y: truth[f]![2 + 2 * i]! }));
const visible = (f: number) => truth[f]![9]!;

/** Where the plate's own map from one frame to another takes a point. */
function carried(a: Pt[], b: Pt[], p: Pt): Pt {
  const square = (q: Pt[]) => {
    const [s, t] = [
      { x: q[0]!.x - q[1]!.x + q[2]!.x - q[3]!.x, y: q[0]!.y - q[1]!.y + q[2]!.y - q[3]!.y },
      [q[1]!, q[2]!, q[3]!],
    ];
    const [d1, d2] = [
      { x: t[0]!.x - t[1]!.x, y: t[0]!.y - t[1]!.y },
      { x: t[2]!.x - t[1]!.x, y: t[2]!.y - t[1]!.y },
    ];
    const det = d1.x * d2.y - d1.y * d2.x;
    const [g, h] = [(s.x * d2.y - s.y * d2.x) / det, (d1.x * s.y - d1.y * s.x) / det];
    return [
      q[1]!.x - q[0]!.x + g * q[1]!.x,
      q[3]!.x - q[0]!.x + h * q[3]!.x,
      q[0]!.x,
      q[1]!.y - q[0]!.y + g * q[1]!.y,
      q[3]!.y - q[0]!.y + h * q[3]!.y,
      q[0]!.y,
      g,
      h,
      1,
    ];
  };
  const through = (m: number[], q: Pt) => {
    const w = m[6]! * q.x + m[7]! * q.y + m[8]!;
    return { x: (m[0]! * q.x + m[1]! * q.y + m[2]!) / w, y: (m[3]! * q.x + m[4]! * q.y + m[5]!) / w };
  };
  const m = square(a);
  const back = [
    m[4]! * m[8]! - m[5]! * m[7]!,
    m[2]! * m[7]! - m[1]! * m[8]!,
    m[1]! * m[5]! - m[2]! * m[4]!,
    m[5]! * m[6]! - m[3]! * m[8]!,
    m[0]! * m[8]! - m[2]! * m[6]!,
    m[2]! * m[3]! - m[0]! * m[5]!,
    m[3]! * m[7]! - m[4]! * m[6]!,
    m[1]! * m[6]! - m[0]! * m[7]!,
    m[0]! * m[4]! - m[1]! * m[3]!,
  ];
  return through(square(b), through(back, p));
}

/** The surface on every frame: corners and state. */
const surfaces = async (page: Page): Promise<{ corners: Pt[]; state: string }[]> => {
  const track = (await document(page)).tracks[0];
  const request = { track, attempt: track.attempt };
  return coreEach(
    page,
    'surface',
    Array.from({ length: frames }, (_, frame) => ({ ...request, frame })),
  );
};

async function mend(page: Page, to: Pt[]): Promise<void> {
  await page.keyboard.press('r');
  const handle = async (i: number) => {
    const b = (await page.getByTestId(`mend ${i}`).boundingBox())!;
    return { x: b.x + b.width / 2, y: b.y + b.height / 2 };
  };
  for (let i = 0; i < 4; i++) {
    const p = await handle(i);
    const q = await onScreen(page, to[i]!.x, to[i]!.y);
    const inward = { x: i === 0 || i === 3 ? 2 : -2, y: i < 2 ? 2 : -2 }; // where all of them could be taken hold of
    await page.mouse.move(p.x + inward.x, p.y + inward.y);
    await page.mouse.down();
    await page.mouse.move(q.x + inward.x, q.y + inward.y, { steps: 4 });
    await page.mouse.up();
    await expect
      .poll(async () => {
        const now = await handle(i);
        return Math.hypot(now.x - q.x, now.y - q.y);
      })
      .toBeLessThan(1.5);
  }
}

/** The trike's clip on the bench, its plate boxed and tracked; where the box should be in each frame. */
async function tracked(page: Page, name: string) {
  const source = clip(
    `${name}.mp4`,
    '-i',
    `${shot}/clip.mp4`,
    '-vf',
    `trim=start_frame=${from}:end_frame=${from + frames},setpts=PTS-STARTPTS`,
    '-c:v',
    'libx264',
    '-crf',
    '12',
    '-an',
  );
  await newProgramme(page, name);
  await bringIn(page, source);
  await addItem(page, 'Plate');
  // A box around the plate, and the tracker: two actions.
  await goTo(page, String(reference));
  const xs = plate(reference).map((p) => p.x);
  const ys = plate(reference).map((p) => p.y);
  await dragOn(page, Math.min(...xs) - 5, Math.min(...ys) - 5, Math.max(...xs) + 5, Math.max(...ys) + 5);
  await page.getByRole('tab', { name: /Follow/ }).click();
  await expect(page.getByTestId('texture')).toContainText('can be compared');
  await page.keyboard.press('v');
  await expect(page.getByTestId('running')).toBeVisible();
  await runsEnded(page, 1);
  const box = (await surfaces(page))[reference]!.corners;
  return (f: number) => box.map((p) => carried(plate(reference), plate(f), p));
}

/** How far a surface's corners are from where they should be, px RMS. */
const off = (s: { corners: Pt[] }, wanted: Pt[]) =>
  Math.sqrt(s.corners.reduce((sum, p, i) => sum + ((p.x - wanted[i]!.x) ** 2 + (p.y - wanted[i]!.y) ** 2) / 4, 0));

/** Every frame is near the truth; what is hidden behind the walker is called lost. */
async function nearTheTruth(page: Page, wanted: (f: number) => Pt[]): Promise<void> {
  for (const [f, s] of (await surfaces(page)).entries()) {
    if (visible(f) < 0.3) expect(s.state, `frame ${f}`).not.toMatch(/[g-]/);
    else expect(off(s, wanted(f)), `frame ${f} (${s.state})`).toBeLessThan(2);
  }
}

test('a plate is tracked in two actions, and put right where it slips', async ({ page }) => {
  const wanted = await tracked(page, 'Tracked');
  const doc = await document(page);
  expect(doc.tracks).toHaveLength(1);
  expect(doc.covers[0]).toMatchObject({ track: doc.tracks[0].id, from: reference });
  await nearTheTruth(page, wanted);
  await expect(page.getByTestId('state-l')).not.toHaveCount(0);
  await expect(page.getByTestId('strip').locator('img').first()).toBeVisible();
  expect(
    await page
      .getByTestId('strip')
      .locator('img')
      .first()
      .evaluate((i: HTMLImageElement) => i.naturalWidth),
  ).toBe(1760);

  await page.getByRole('button', { name: /Other attempts, sharing/ }).click();
  await accessible(page);
  await page.getByRole('button', { name: /Other attempts, sharing/ }).click();

  // A wrong anchor makes it slip; put right there, the whole stretch is right again.
  await goTo(page, '40');
  await mend(
    page,
    wanted(40).map((p) => ({ x: p.x + 14, y: p.y + 6 })),
  );
  await page.getByRole('button', { name: 'Set an anchor here' }).click();
  await runsEnded(page, 2);
  expect(off((await surfaces(page))[40]!, wanted(40))).toBeGreaterThan(10);
  await mend(page, wanted(40));
  await page.keyboard.press('Shift+r');
  await runsEnded(page, 3);
  await nearTheTruth(page, wanted);
  expect((await surfaces(page))[40]!.state).toBe('a');
  await expect(page.getByTestId('anchor')).toHaveCount(2);
});

test('a correction moves the cover alone; another rides on the same track', async ({ page }) => {
  const wanted = await tracked(page, 'Corrected');
  await goTo(page, '60');
  const before = await surfaces(page);
  await mend(
    page,
    wanted(60).map((p, i) => ({ x: p.x + (i === 1 || i === 2 ? 6 : 0), y: p.y })),
  );
  await page.getByRole('button', { name: 'Correct Plate only' }).click();
  await saved(page);
  expect(await surfaces(page)).toEqual(before);
  let doc = await document(page);
  // Around the frame, twelve to each side: what lies beyond stays as it was.
  expect(doc.covers[0].outlines[0].keys.map((k: any) => k.frame)).toEqual([48, 60, 72, reference]);

  // Another cover rides on the same track; taken off it, it stays within the tolerance.
  await addItem(page, 'Mark');
  await goTo(page, '50');
  const mark = wanted(50);
  await dragOn(page, mark[0]!.x, mark[0]!.y - 40, mark[1]!.x, mark[1]!.y - 20);
  await page.getByRole('tab', { name: /Follow/ }).click();
  await page.getByLabel('Step card').getByRole('button', { name: 'Plate', exact: true }).click();
  await saved(page);
  const paths = async () => {
    const all = await selectedThroughout(page, frames);
    return all.map((c) => c.outlines[0].knots.map((k: any) => k.p) as Pt[]);
  };
  expect((await document(page)).covers[1].track).toBe(doc.tracks[0].id);
  const riding = await paths();
  await page.getByRole('button', { name: /Other attempts, sharing/ }).click();
  await page.getByRole('button', { name: 'Turn into hand keys' }).click();
  await saved(page);
  doc = await document(page);
  expect(doc.covers[1].track ?? '').toBe('');
  expect(doc.covers[1].outlines[0].keys.length).toBeLessThan(frames);
  for (const [f, knots] of (await paths()).entries())
    for (const [i, p] of knots.entries())
      expect(Math.hypot(p.x - riding[f]![i]!.x, p.y - riding[f]![i]!.y), `frame ${f}`).toBeLessThanOrEqual(0.501);
});

/** How many luma samples of the plate are not the fill's, in a frame of a delivered picture. */
function showing(b: Buffer, f: number): { inside: number; shown: number } {
  const size = (W * H * 3) / 2;
  const q = plate(f);
  let shown = 0;
  let inside = 0;
  for (let y = Math.floor(Math.min(...q.map((p) => p.y))); y <= Math.max(...q.map((p) => p.y)); y++) {
    for (let x = Math.floor(Math.min(...q.map((p) => p.x))); x <= Math.max(...q.map((p) => p.x)); x++) {
      if (
        !q.every(
          (p, i) => (q[(i + 1) % 4]!.x - p.x) * (y + 0.5 - p.y) - (q[(i + 1) % 4]!.y - p.y) * (x + 0.5 - p.x) >= 0,
        )
      )
        continue;
      inside++;
      shown += b[f * size + y * W + x] === 126 ? 0 : 1;
    }
  }
  return { inside, shown };
}

test('a tracked plate is filled and delivered, and never shows', async ({ page }) => {
  await tracked(page, 'Delivered');
  await evenFill(page);
  await page.getByRole('button', { name: 'Deliver' }).click();
  const dialog = page.getByRole('dialog', { name: 'Deliver' });
  await dialog.getByLabel(/Archive master/).check();
  await dialog.getByRole('button', { name: 'Deliver' }).click();
  await expect(dialog.getByTestId('delivery').first()).toHaveAttribute('data-state', 'done', { timeout: patience });
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    dialog.getByRole('link', { name: 'Download' }).click(),
  ]);
  await file.saveAs(join(folder, 'Delivered.mkv'));
  const b = decode(join(folder, 'Delivered.mkv'));
  expect(b.length).toBe((frames * W * H * 3) / 2);
  for (let f = 0; f < frames; f++) {
    const { inside, shown } = showing(b, f);
    expect(inside).toBeGreaterThan(1000);
    expect(shown, `frame ${f}: samples of the plate that show`).toBe(0);
  }
});

test('what cannot be followed is said, and a run can be stopped', async ({ page }) => {
  const flat = clip(
    'flat.mp4',
    '-f',
    'lavfi',
    '-i',
    'color=c=gray:size=640x360:rate=25:duration=0.4',
    '-f',
    'lavfi',
    '-i',
    'testsrc2=size=640x360:rate=25:duration=5',
    '-filter_complex',
    '[0][1]concat',
    '-c:v',
    'libx264',
    '-pix_fmt',
    'yuv420p',
  );
  await newProgramme(page, 'Unfollowed');
  await bringIn(page, flat);
  await addItem(page, 'Grey');
  await dragOn(page, 200, 100, 320, 180);
  await page.getByRole('tab', { name: /Follow/ }).click();
  await expect(page.getByTestId('texture')).toContainText('Too little texture');
  await page.keyboard.press('v');
  await runsEnded(page, 1);
  await expect(page.getByRole('alert')).toContainText('too little texture');
  expect((await document(page)).tracks ?? []).toHaveLength(0);

  // From the other shot it runs to the cut and no further; what was not followed cannot be delivered.
  await goTo(page, '100');
  await page.keyboard.press('v');
  await expect(page.getByTestId('running')).toBeVisible();
  await page.keyboard.press('Shift+v');
  await runsEnded(page, 2);
  const doc = await document(page);
  expect(doc.tracks).toHaveLength(1);
  const rows: any[] = await core(page, 'rows');
  const states = rows.find((r) => r.id === doc.covers[0].id).states as string;
  expect(states.slice(0, 10)).toMatch(/^-+$/);
  expect(states[100]).toBe('a');
  await page.getByRole('button', { name: 'Deliver' }).click();
  const dialog = page.getByRole('dialog', { name: 'Deliver' });
  await dialog.getByRole('button', { name: 'Deliver' }).click();
  await expect(page.getByText(/which was not followed from f/).first()).toBeVisible();
});
