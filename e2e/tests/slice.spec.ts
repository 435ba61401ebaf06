// From a clip on the editor's disk to a verified file, through the interface.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import {
  addItem,
  bringIn,
  bytes,
  clip,
  decode,
  document,
  dragOn,
  evenFill,
  folder,
  goTo,
  newProgramme,
  onScreen,
  pattern,
  probe,
  saved,
  patience,
} from '../help';

/** The delivered samples: the fill inside the cover, the source's outside it, and the span 5 to 50 exact. */
function onlyInside(a: Buffer, b: Buffer, c: any): void {
  const size = (480 * 270 * 3) / 2;
  const differing = (f: number) => {
    let n = 0;
    for (let i = f * size; i < f * size + 480 * 270; i++) n += a[i] !== b[i] ? 1 : 0;
    return n;
  };
  for (const f of [0, 4, 51, 59]) expect(differing(f), `frame ${f}`).toBe(0);
  const k0 = c.motion.keys[0].move;
  const k1 = c.motion.keys[1].move;
  const knots = c.outlines[0].keys[0].knots;
  for (const f of [5, 20, 40, 50]) {
    const t = Math.min(f / 40, 1);
    const dx = k0.x + t * (k1.x - k0.x);
    const dy = k0.y + t * (k1.y - k0.y);
    const box = [knots[0].p.x + dx, knots[0].p.y + dy, knots[2].p.x + dx, knots[2].p.y + dy];
    const n = { inside: 0, unfilled: 0, touched: 0 };
    for (let y = 0; y < 270; y++) {
      for (let x = 0; x < 480; x++) {
        const i = f * size + y * 480 + x;
        if (x >= box[0] && x + 1 <= box[2] && y >= box[1] && y + 1 <= box[3]) {
          n.inside++;
          n.unfilled += b[i] === 126 ? 0 : 1; // #808080 in BT.709, limited range
        } else if (x + 1 <= box[0] || x >= box[2] || y + 1 <= box[1] || y >= box[3]) {
          n.touched += a[i] === b[i] ? 0 : 1;
        }
      }
    }
    expect(n.unfilled, `frame ${f}: samples inside that show something`).toBe(0);
    expect(n.touched, `frame ${f}: samples outside that changed`).toBe(0);
    expect(n.inside).toBeGreaterThan(3000);
  }
}

test('a clip is brought in, covered, keyed and delivered', async ({ page }) => {
  const source = pattern('quay.mp4');
  const was = bytes(source);
  await newProgramme(page, 'Slice');
  await bringIn(page, source);
  await expect(page.getByTestId('timecode')).toHaveText('10:00:00:00');

  // An item and its cover.
  await addItem(page, 'Counter');
  await dragOn(page, 100, 80, 180, 130);
  const doc = await document(page);
  expect(doc.covers).toHaveLength(1);
  expect(doc.covers[0].motion.keys.map((k: any) => k.frame)).toEqual([0]);

  // Fill, by the card.
  await evenFill(page);

  // Moved at another frame it keys itself; numbers say where it is.
  await goTo(page, '40');
  await expect(page.getByTestId('frame')).toHaveText('f 40');
  await dragOn(page, 140, 105, 240, 145);
  await page.getByRole('tab', { name: /Outline/ }).click();
  await expect(page.getByLabel('Centre across')).toHaveValue(/^2(39|40|41)\.\d$/);
  await page.getByLabel('Centre across').fill('240');
  await page.getByLabel('Centre across').press('Enter');
  await page.getByLabel('Centre down').fill('145');
  await page.getByLabel('Centre down').press('Enter');
  await saved(page);

  // Half way it stands half way.
  await goTo(page, '10:00:00:20');
  await expect(page.getByLabel('Centre across')).toHaveValue(/^(189|190|191)\.\d$/);
  await expect(page.getByTestId('timeline').getByTestId('key')).toHaveCount(2);

  // Span by keys; soften off for exact edges.
  await goTo(page, '5');
  await page.keyboard.press('i');
  await saved(page);
  await goTo(page, '50');
  await page.keyboard.press('o');
  await saved(page);
  await page.getByLabel('Soften', { exact: true }).fill('0');
  await page.getByLabel('Soften', { exact: true }).press('Enter');
  await saved(page);
  await expect(page.getByTestId('span')).toHaveText('5–50');

  // Deliver both ways.
  await page.getByRole('button', { name: 'Deliver' }).click();
  const dialog = page.getByRole('dialog', { name: 'Deliver' });
  await dialog.getByLabel('Name of the file').fill('Counter hidden');
  await dialog.getByLabel(/Archive master/).check();
  await dialog.getByRole('button', { name: 'Deliver' }).click();
  await expect(dialog.getByTestId('delivery').first()).toHaveAttribute('data-state', 'done', { timeout: patience });
  await expect(dialog.getByText(/every sample outside the covers equals the source's in all 60 frames/)).toBeVisible();
  const [archive] = await Promise.all([
    page.waitForEvent('download'),
    dialog.getByRole('link', { name: 'Download' }).click(),
  ]);
  expect(archive.suggestedFilename()).toBe('Counter hidden.mkv');
  await archive.saveAs(join(folder, 'archive.mkv'));
  await dialog.getByLabel(/Review copy/).check();
  await dialog.getByRole('button', { name: 'Deliver' }).click();
  await expect(dialog.locator('[data-state=done]')).toHaveCount(2, { timeout: patience });

  // The delivered pixels: filled inside, the source's outside, and the span exact.
  const a = decode(source);
  const b = decode(join(folder, 'archive.mkv'));
  expect(b.length).toBe(a.length);
  onlyInside(a, b, (await document(page)).covers[0]);
  const info = probe(join(folder, 'archive.mkv'));
  expect(info.timecode).toBe('10:00:00:00');
  expect(info.sound).toHaveLength(1);
  expect(info.tags).toMatchObject({ primaries: 'bt709', transfer: 'bt709', space: 'bt709' });
  expect(bytes(source).equals(was)).toBe(true);
});

test('keys, undo and the clean picture survive a reload', async ({ page }) => {
  await newProgramme(page, 'Undo');
  await bringIn(page, pattern('undo.mp4'));
  await addItem(page, 'Thing');
  await page.getByRole('button', { name: 'Ellipse' }).click();
  await dragOn(page, 60, 60, 140, 120);
  for (const f of ['20', '40']) {
    await goTo(page, f);
    await dragOn(page, 100, 90, 110, 95);
    await goTo(page, '0');
  }
  const keys = async () => (await document(page)).covers[0].motion.keys.map((k: any) => k.frame);
  expect(await keys()).toEqual([0, 20, 40]);

  // A key is dragged along the row.
  const pin = page.getByTestId('key').nth(1);
  const box = (await pin.boundingBox())!;
  const track = (await page.getByTestId('timeline').boundingBox())!;
  await page.mouse.move(box.x + box.width / 2, box.y + 5);
  await page.mouse.down();
  await page.mouse.move(track.x + (30.5 / 60) * track.width, box.y + 5, { steps: 5 });
  await page.mouse.up();
  await saved(page);
  expect(await keys()).toEqual([0, 30, 40]);

  // Down goes to the next key, Delete removes it.
  await goTo(page, '0');
  await page.keyboard.press('ArrowDown');
  await expect(page.getByTestId('frame')).toHaveText('f 30');
  await page.keyboard.press('Delete');
  await saved(page);
  expect(await keys()).toEqual([0, 40]);

  await page.keyboard.press('Control+z');
  await saved(page);
  expect(await keys()).toEqual([0, 30, 40]);
  await page.reload();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /:/);
  await page.keyboard.press('Control+z');
  await saved(page);
  expect(await keys()).toEqual([0, 20, 40]);
  await page.reload();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /:/);
  for (const want of [
    [0, 30, 40],
    [0, 40],
  ]) {
    await page.keyboard.press('Control+Shift+z');
    await saved(page);
    expect(await keys()).toEqual(want);
  }

  // The clean picture while C is held; pixels, not only a label.
  const at = await onScreen(page, 100, 90);
  const shown = page.getByTestId('picture');
  const colour = async () =>
    (await page.screenshot({ clip: { x: at.x - 14, y: at.y - 14, width: 28, height: 28 } })).toString('base64');
  await page.keyboard.down('x');
  const concealed = await colour();
  await page.keyboard.down('c');
  await expect(shown).toHaveAttribute('data-shown', /clean$/);
  const clean = await colour();
  await page.keyboard.up('c');
  await expect(shown).toHaveAttribute('data-shown', /concealed$/);
  expect(clean).not.toBe(concealed);
  expect(await colour()).toBe(concealed);
  await page.keyboard.up('x');
});

test('an interrupted upload goes on after a reload', async ({ page }) => {
  const big = clip(
    'big.mkv',
    '-f',
    'lavfi',
    '-i',
    'nullsrc=size=640x360:rate=25:duration=2.4,geq=random(1)*255:128:128',
    '-c:v',
    'ffv1',
  );
  expect(bytes(big).length).toBeGreaterThan(9 << 20);
  await newProgramme(page, 'Resume');
  // The line breaks after the first 8 MB.
  let patches = 0;
  await page.route('**/api/uploads/**', async (route) => {
    if (route.request().method() === 'PATCH' && ++patches > 1) return route.abort();
    return route.continue();
  });
  await page.getByTestId('upload').setInputFiles(big);
  await expect.poll(() => patches).toBeGreaterThan(1);
  await page.reload();
  await page.unroute('**/api/uploads/**');
  await expect(page.getByText(/big.mkv: the upload was interrupted at \d+ %/)).toBeVisible();
  const offsets: number[] = [];
  page.on('request', (r) => {
    if (r.method() === 'PATCH') offsets.push(Number(r.headers()['upload-offset']));
  });
  await page.getByTestId('upload').setInputFiles(big);
  await expect(page.getByTestId('shot')).toHaveCount(1);
  expect(offsets[0]).toBeGreaterThanOrEqual(8 << 20);
  await expect(page.getByTestId('shot').locator('progress')).toHaveCount(0);
});

test('files that cannot be used are refused in words and leave nothing', async ({ page, request }) => {
  const id = await newProgramme(page, 'Refused');
  const text = join(folder, 'notes.mp4');
  writeFileSync(text, 'not a clip at all '.repeat(1000));
  const list = join(folder, 'playlist.mp4');
  writeFileSync(list, '#EXTM3U\n#EXTINF:1,\nfile:///etc/passwd\n');
  const whole = clip('whole.mp4', '-f', 'lavfi', '-i', 'testsrc2=size=320x180:rate=25:duration=4', '-c:v', 'libx264');
  const cut = join(folder, 'cut.mp4');
  writeFileSync(cut, bytes(pattern('for-cutting.mp4')).subarray(0, 60_000));
  const sound = clip('sound.mp4', '-f', 'lavfi', '-i', 'sine=duration=1', '-c:a', 'aac');
  for (const [file, words] of [
    [text, /no clip that can be read/],
    [list, /no clip that can be read/],
    [cut, /cannot be used/],
    [sound, /no picture/],
  ] as const) {
    await page.getByTestId('upload').setInputFiles(file);
    await expect(page.getByTestId('upload-row').getByRole('alert')).toHaveText(words);
    await page.getByRole('button', { name: 'Dismiss' }).click();
  }
  // Damaged inside: found while decoding, said on the shot. The file stays until somebody
  // takes it out, and it can be tried again.
  const bad = Buffer.from(bytes(whole));
  for (let i = bad.length >> 1; i < (bad.length >> 1) + 9000; i++) bad[i] = (i * 37) & 255;
  const damaged = join(folder, 'damaged.mp4');
  writeFileSync(damaged, bad);
  await page.getByTestId('upload').setInputFiles(damaged);
  await expect(page.getByRole('alert').filter({ hasText: /cannot be used/ })).toBeVisible();
  await page.getByRole('button', { name: 'Try again' }).click();
  await expect(page.getByRole('alert').filter({ hasText: /cannot be used/ })).toBeVisible();
  page.once('dialog', (d) => void d.accept());
  await page.getByRole('button', { name: 'Remove', exact: true }).click();
  await expect(page.getByText('No shots yet.', { exact: false })).toBeVisible();
  expect((await (await request.get(`/api/programmes/${id}`)).json()).sources).toEqual([]);
});

test('a change made while the database is away is saved, once, when it is back', async ({ page, request }) => {
  await newProgramme(page, 'Away');
  await bringIn(page, pattern('away.mp4'));
  await addItem(page, 'Clock', 'Sign');
  await dragOn(page, 60, 60, 160, 120);
  const shot = page.url().split('/').pop()!;
  const number = async () => (await (await request.get(`/api/shots/${shot}`)).json()).revision.number;
  const before = await number();
  // The database server is killed, while the editor goes on.
  const pid = () => Number(readFileSync('../.run/e2e/pg/data/postmaster.pid', 'utf8').split('\n')[0]);
  process.kill(pid(), 'SIGKILL');
  await page.getByRole('tab', { name: /Conceal/ }).click();
  await page.getByRole('group', { name: 'Treatment' }).getByRole('button', { name: 'Fill' }).click();
  await saved(page);
  await expect.poll(number).toBe(before + 1);
  await page.reload();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /^0:/);
  const now = (await (await request.get(`/api/shots/${shot}`)).json()).revision.document;
  expect(now.covers.map((c: any) => c.treatments.map((t: any) => t.kind))).toEqual([['fill']]);
});

test('a variable rate is conformed and the source page says so', async ({ page }) => {
  const varies = clip(
    'varies.mp4',
    '-f',
    'lavfi',
    '-i',
    'testsrc2=size=320x180:rate=30:duration=2',
    '-vf',
    "select='not(eq(mod(n,7),3))'",
    '-vsync',
    'vfr',
    '-c:v',
    'libx264',
    '-pix_fmt',
    'yuv420p',
  );
  await newProgramme(page, 'Varies');
  await bringIn(page, varies);
  await page.goBack();
  await page.getByRole('link', { name: /About the source/ }).click();
  await expect(page.getByTestId('notes')).toContainText(
    'Its frame rate varies. It is conformed to a constant 30 frames a second',
  );
});
