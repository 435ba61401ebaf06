import { writeFileSync } from 'node:fs';
import { deflateSync } from 'node:zlib';
import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import {
  addItem,
  bringIn,
  decode,
  document,
  dragOn,
  folder,
  goTo,
  newProgramme,
  onScreen,
  pattern,
  saved,
  patience,
} from '../help';

/** A PNG of one colour. */
function png(w: number, h: number, rgb: [number, number, number]): Buffer {
  const crc = (b: Buffer) => {
    let c = ~0;
    for (const v of b) {
      c ^= v;
      for (let k = 0; k < 8; k++) c = c & 1 ? (c >>> 1) ^ 0xedb88320 : c >>> 1;
    }
    return ~c >>> 0;
  };
  const chunk = (type: string, data: Buffer) => {
    const body = Buffer.concat([Buffer.from(type), data]);
    const out = Buffer.alloc(body.length + 8);
    out.writeUInt32BE(data.length, 0);
    body.copy(out, 4);
    out.writeUInt32BE(crc(body), body.length + 4);
    return out;
  };
  const head = Buffer.alloc(13);
  head.writeUInt32BE(w, 0);
  head.writeUInt32BE(h, 4);
  head.set([8, 2, 0, 0, 0], 8);
  const row = Buffer.concat([Buffer.from([0]), Buffer.from(Array.from({ length: w }, () => rgb).flat())]);
  const rows = Buffer.concat(Array.from({ length: h }, () => row));
  return Buffer.concat([
    Buffer.from([0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10]),
    chunk('IHDR', head),
    chunk('IDAT', deflateSync(rows)),
    chunk('IEND', Buffer.alloc(0)),
  ]);
}

async function cover(page: Page, name: string, kind: string, box: [number, number, number, number]): Promise<void> {
  await addItem(page, name, kind);
  await dragOn(page, ...box);
  await page.keyboard.press('Alt+4');
}

const kinds = (page: Page) => page.getByRole('group', { name: 'Treatment' });
const choose = async (page: Page, name: string) => {
  await kinds(page).getByRole('button', { name }).click();
  await saved(page);
};
const set = async (page: Page, label: string, value: string) => {
  const field = page.getByRole('textbox', { name: label, exact: true });
  await field.fill(value);
  await field.press('Enter');
  await saved(page);
};

async function deliver(page: Page, preset: RegExp, name: string): Promise<Buffer> {
  await page.getByRole('button', { name: 'Deliver' }).click();
  const dialog = page.getByRole('dialog', { name: 'Deliver' });
  await dialog.getByLabel('Name of the file').fill(name);
  await dialog.getByLabel(preset).check();
  const before = await dialog.locator('[data-state=done]').count();
  await dialog.getByRole('button', { name: 'Deliver' }).click();
  await expect(dialog.locator('[data-state=done]')).toHaveCount(before + 1, { timeout: patience });
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    dialog.getByRole('link', { name: 'Download' }).first().click(),
  ]);
  const path = join(folder, name + (preset.source.includes('Archive') ? '.mkv' : '.mp4'));
  await file.saveAs(path);
  await dialog.getByRole('button', { name: 'Close' }).click();
  return decode(path);
}

const size = (480 * 270 * 3) / 2;
/** Mean and deviation of the luma in a box of a frame. */
function luma(b: Buffer, f: number, x0: number, y0: number, x1: number, y1: number): { mean: number; sd: number } {
  let [s, q, n] = [0, 0, 0];
  for (let y = y0; y < y1; y++)
    for (let x = x0; x < x1; x++) {
      const v = b[f * size + y * 480 + x]!;
      [s, q, n] = [s + v, q + v * v, n + 1];
    }
  return { mean: s / n, sd: Math.sqrt(Math.max(q / n - (s / n) ** 2, 0)) };
}

/** A programme with one covered moving pattern; how its delivered pictures are held against the source. */
async function treated(page: Page, name: string) {
  await newProgramme(page, name);
  const source = pattern(`${name}.mp4`);
  await bringIn(page, source);
  await cover(page, 'Counter', 'Number', [150, 60, 330, 200]);
  await page.keyboard.press('Alt+1');
  await set(page, 'Soften', '0');
  await page.keyboard.press('Alt+4');
  const was = decode(source);
  const here = (b: Buffer, f = 20) => luma(b, f, 155, 65, 325, 195);
  const outside = (b: Buffer) => {
    for (const f of [0, 20, 59])
      for (let y = 0; y < 270; y++)
        for (let x = 0; x < 480; x++)
          if (x < 149 || x > 330 || y < 59 || y > 200)
            if (b[f * size + y * 480 + x] !== was[f * size + y * 480 + x]) return `frame ${f}, ${x},${y}`;
    return '';
  };
  await goTo(page, '20');
  return { was, here, outside };
}

test('a blur too weak is told at once, and a mosaic of hexagons rides', async ({ page }) => {
  const { was, here, outside } = await treated(page, 'Blurred');
  await choose(page, 'Blur');
  await set(page, 'Sigma across', '1');
  await set(page, 'Sigma down', '1');
  await expect(page.getByTestId('through').getByRole('alert')).toContainText('The picture shows through');
  await set(page, 'Sigma across', '200');
  await set(page, 'Sigma down', '200');
  await expect(page.getByTestId('through').getByRole('alert')).toHaveCount(0);
  const blurred = await deliver(page, /Archive master/, 'blurred');
  expect(here(blurred).sd).toBeLessThan(0.6 * here(was).sd);
  expect(outside(blurred)).toBe('');

  // Mosaic of hexagons that ride with the surface.
  await choose(page, 'Mosaic');
  await page.getByLabel('Cells', { exact: true }).selectOption('hexagon');
  await page.getByLabel('Grid rides with the surface').check();
  await set(page, 'Cell across', '40');
  await set(page, 'Cell down', '40');
  expect((await document(page)).covers[0].treatments[0]).toMatchObject({
    kind: 'mosaic',
    form: 'hexagon',
    rides: true,
    cell: { across: 40, down: 40 },
  });
  const cells = await deliver(page, /Archive master/, 'cells');
  expect(here(cells).sd).toBeLessThan(here(was).sd);
  expect(outside(cells)).toBe('');
});

test('a fill takes a picked colour, dim hides nothing, and a surface grows in', async ({ page }) => {
  const { was, here, outside } = await treated(page, 'Filled');
  await choose(page, 'Fill');
  await expect(page.getByLabel('Colour from around')).toBeChecked();
  await page.getByLabel('Colour from around').uncheck();
  await set(page, 'Grain', '0');
  await page.getByLabel('Colour', { exact: true }).fill('#808080');
  await saved(page);
  const filled = await deliver(page, /Archive master/, 'filled');
  expect(here(filled)).toEqual({ mean: 126, sd: 0 });
  expect(outside(filled)).toBe('');

  // Dim hides nothing, and says so.
  await choose(page, 'Dim');
  await set(page, 'Level', '40');
  await expect(page.getByTestId('through').getByRole('alert')).toContainText('The picture shows through');
  const dimmed = await deliver(page, /Archive master/, 'dimmed');
  expect(Math.abs(here(dimmed).mean - (16 + 0.4 * (here(was).mean - 16)))).toBeLessThan(1);

  // The surface grown in from around, over what is there.
  await choose(page, 'Surface');
  await set(page, 'Grain', '0');
  const grown = await deliver(page, /Archive master/, 'grown');
  expect(here(grown).sd).toBeLessThan(0.7 * here(was).sd);
  expect(outside(grown)).toBe('');
});

test('a patch covers the outline or says how much stays bare; treatments keep their order', async ({ page }) => {
  const { here, outside } = await treated(page, 'Patched');
  await choose(page, 'Patch');
  const file = join(folder, 'flag.png');
  writeFileSync(file, png(90, 70, [250, 250, 250]));
  await page.getByTestId('graphic').setInputFiles(file);
  await expect(page.getByTitle('flag.png')).toBeVisible();
  for (const [name, v] of [
    ['Size', '60'],
    ['Light', '0'],
    ['Grain', '0'],
  ] as const)
    await set(page, name, v);
  await expect(page.getByText(/The graphic is too small: 6[34] % of the outline stays bare/)).toBeVisible();
  await set(page, 'Size', '110');
  await expect(page.getByText(/too small/)).toHaveCount(0);
  const patched = await deliver(page, /Archive master/, 'patched');
  expect(Math.abs(here(patched).mean - (16 + (219 * 250) / 255))).toBeLessThan(0.6);
  expect(here(patched).sd).toBeLessThan(0.6);
  expect(outside(patched)).toBe('');

  // Several in order; one switched off; the motion is as it was through all of it.
  await page.getByLabel('Add a treatment').selectOption('dim');
  await saved(page);
  await page.getByRole('button', { name: 'Dim 2 earlier' }).click();
  await saved(page);
  await page.getByLabel('Patch 2 is on').uncheck();
  await saved(page);
  const c = (await document(page)).covers[0];
  expect(c.treatments.map((t: any) => [t.kind, !!t.off])).toEqual([
    ['dim', false],
    ['patch', true],
  ]);
  expect(c.outlines[0].keys).toHaveLength(1);
});

test('a label is in the review copy and in no master', async ({ page }) => {
  const { was, outside } = await treated(page, 'Labelled');
  await choose(page, 'Fill');
  await page.getByText('Label in review copies').click();
  await page.getByLabel('Text of the label').fill('Harbour clock');
  await page.getByLabel('Text of the label').press('Enter');
  await saved(page);
  const master = await deliver(page, /Archive master/, 'master');
  expect(outside(master)).toBe('');
  const review = await deliver(page, /Review copy/, 'review');
  const above = (b: Buffer) => luma(b, 20, 200, 40, 280, 58);
  expect(Math.abs(above(master).mean - above(was).mean)).toBe(0);
  expect(Math.abs(above(review).mean - above(was).mean) + Math.abs(above(review).sd - above(was).sd)).toBeGreaterThan(
    5,
  );
});

test('two treatments are held against each other, and a house style is changed in one place', async ({ page }) => {
  const id = await newProgramme(page, 'Styles');
  await bringIn(page, pattern('styled.mp4'));
  await cover(page, 'Left plate', 'Plate', [40, 60, 140, 120]);
  await choose(page, 'Mosaic');

  // Two on the running picture; the one that is clicked stays.
  await page.getByLabel('Compare with another treatment').selectOption('fill');
  await expect(page.getByRole('button', { name: 'Keep Fill' })).toBeVisible();
  const shown = page.getByTestId('picture');
  await expect(shown).toHaveAttribute('data-shown', /^0:.*pair$/);
  await page.keyboard.press('l');
  await expect(shown).toHaveAttribute('data-shown', /^[1-9]\d*:.*pair$/);
  await page.keyboard.press('k');
  await page.getByRole('button', { name: 'Keep Fill' }).click();
  await saved(page);
  expect((await document(page)).covers[0].treatments[0].kind).toBe('fill');

  // A style of it, which the next plate gets by itself, and a sign does not.
  await page.getByText('To other covers').click();
  await page.getByRole('button', { name: 'Save as a house style' }).click();
  await page.getByLabel('Name of the house style').fill('Plates');
  await page.getByRole('button', { name: 'Save the style' }).click();
  await expect(page.getByText('Saved Plates.')).toBeVisible();
  await saved(page);
  await cover(page, 'Right plate', 'Plate', [300, 60, 400, 120]);
  await cover(page, 'Board', 'Sign', [180, 160, 300, 240]);
  let covers = (await document(page)).covers;
  expect(covers.map((c: any) => [c.treatments[0].kind, !!c.style])).toEqual([
    ['fill', true],
    ['fill', true],
    ['blur', false],
  ]);

  // Changed on one plate: the deviation is seen, and the other follows the style.
  await page
    .getByRole('navigation', { name: 'Items of this shot' })
    .getByRole('button', { name: /Left plate/ })
    .click();
  await choose(page, 'Mosaic');
  await expect(page.getByTestId('deviates')).toHaveText('Differs from Plates.');
  await page.getByRole('button', { name: 'Change style' }).click();
  await expect(page.getByText('Changed Plates: one other cover in one shot followed.')).toBeVisible();
  await expect
    .poll(async () => (await document(page)).covers.map((c: any) => c.treatments[0].kind))
    .toEqual(['mosaic', 'mosaic', 'blur']);
  await expect(page.getByTestId('deviates')).toHaveCount(0);

  // Given to another by hand; and the style to all signs, on the programme's page.
  await page.getByLabel('Board').check();
  await page.getByRole('button', { name: 'Give them this treatment' }).click();
  await saved(page);
  expect((await document(page)).covers[2].treatments[0].kind).toBe('mosaic');
  await page.goto(`/programmes/${id}`);
  await page.getByLabel('Plates for Sign').check();
  await page.getByRole('button', { name: 'Give to all of these' }).click();
  await expect(page.getByText('Plates: one cover changed in one shot.')).toBeVisible();
  await page.getByTestId('shot').getByRole('link').first().click();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /:/);
  covers = (await document(page)).covers;
  expect(new Set(covers.map((c: any) => c.style)).size).toBe(1);

  // The pointer still finds what lies under the cards.
  expect((await onScreen(page, 240, 200)).x).toBeGreaterThan(0);
});
