import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import {
  accessible,
  addItem,
  bringIn,
  clip,
  document,
  dragOn,
  folder,
  goTo,
  newProgramme,
  saved,
  patience,
} from '../help';

/** The plate and its lettering: place, size, colour, and how thick it is drawn. */
const strokes = [
  [150, 100, 180, 60, 'e8e4d8', 'fill'],
  [170, 115, 8, 30, '202020', 'fill'],
  [186, 115, 20, 8, '202020', 'fill'],
  [192, 115, 8, 30, '202020', 'fill'],
  [214, 115, 8, 30, '202020', 'fill'],
  [214, 137, 20, 8, '202020', 'fill'],
  [244, 115, 24, 30, '202020', '6'],
  [280, 115, 8, 30, '202020', 'fill'],
  [296, 115, 8, 30, '202020', 'fill'],
]
  .map(([x, y, w, h, colour, t]) => `drawbox=x=${x}:y=${y}:w=${w}:h=${h}:color=0x${colour}:t=${t}`)
  .join(',');

/** A plate with lettering that rests before a wall: 50 frames, and if wanted a cut to another scene. */
function plate(name: string, cut = false): string {
  return clip(
    name,
    '-f',
    'lavfi',
    '-i',
    `color=c=0x5a4a40:size=480x270:rate=25:duration=2,noise=alls=12:all_seed=3,${strokes}`,
    '-f',
    'lavfi',
    '-i',
    'testsrc2=size=480x270:rate=25:duration=1',
    '-filter_complex',
    cut ? '[0:v][1:v]concat=n=2:v=1[v]' : '[0:v]null[v]',
    '-map',
    '[v]',
    '-c:v',
    'libx264',
    '-pix_fmt',
    'yuv420p',
    '-g',
    '24',
    '-crf',
    '12',
    '-color_primaries',
    'bt709',
    '-color_trc',
    'bt709',
    '-colorspace',
    'bt709',
    '-timecode',
    '10:00:00:00',
  );
}

const row = (page: Page, name: string) => page.getByTestId('row').filter({ hasText: name });
const checked = (page: Page) =>
  expect(page.getByTestId('check')).toHaveText(/clean|severe|minor/, { timeout: patience });

/** The plate on the bench, boxed by hand; its cover filled, or with a mosaic that can be read. */
async function boxed(page: Page, name: string, readable: boolean): Promise<string> {
  const id = await newProgramme(page, name);
  await bringIn(page, plate(`${name}.mp4`));
  await addItem(page, 'Wall plate', 'Plate');
  await dragOn(page, 146, 96, 334, 164);
  await page.keyboard.press('Alt+4');
  const treatment = page.getByRole('group', { name: 'Treatment' });
  await treatment.getByRole('button', { name: readable ? 'Mosaic' : 'Fill', exact: true }).click();
  await saved(page);
  for (const label of readable ? ['Cell across', 'Cell down'] : []) {
    const field = page.getByRole('textbox', { name: label, exact: true });
    await field.fill('3');
    await field.press('Enter');
    await saved(page);
  }
  return id;
}

const bare = (page: Page) => page.locator('[data-testid=finding][data-kind=bare-ends]');

/** Has the shot on the bench checked as it stands. */
async function check(page: Page): Promise<void> {
  await page.keyboard.press('Alt+5');
  await page.getByRole('button', { name: 'Check now' }).click();
  await checked(page);
}

/** Hands the item in hand to review, and opens the review as somebody. */
async function review(page: Page, programme: string, name: string): Promise<void> {
  await page.getByRole('button', { name: 'Ready for review' }).click();
  await expect(page.getByTestId('standing').getByRole('button', { name: 'Back to work' })).toBeVisible();
  await page.goto(`/review/${programme}`);
  await expect(page.getByTestId('to-review')).toHaveCount(1);
  await expect(page.getByTestId('review-picture')).toHaveAttribute('data-shown', /:concealed$/);
  await page.getByLabel('Reviewer’s name').fill(name);
  await page.keyboard.press('Tab');
}

test('a source is cut into shots, and a list entered for them', async ({ page }) => {
  const id = await newProgramme(page, 'Checked');
  await page.getByTestId('upload').setInputFiles(plate('plate.mp4', true));
  const shot = page.getByTestId('shot');
  await expect(shot).toHaveCount(1);
  await expect(shot.locator('progress')).toHaveCount(0);

  // The cut is found on the source's page, and made into shots.
  await shot.getByRole('link', { name: /About the source/ }).click();
  await expect(page.getByTestId('boundary')).toHaveCount(1, { timeout: patience });
  await expect(page.getByTestId('boundary')).toContainText('f 50');
  await page.getByRole('button', { name: 'Make 2 shots' }).click();
  await expect(page.getByRole('status')).toHaveText('2 shots now.');
  await page.goto(`/programmes/${id}`);
  await expect(page.getByTestId('shot')).toHaveCount(2);

  // A list with a line that cannot stand enters nothing; the mended one is entered.
  const list = join(folder, 'list.csv');
  const lines = [
    'name,kind,description,reason,requested by,due,source,in,out',
    'Wall plate,plate,On the wall,Private,Legal,2026-12-01,plate.mp4,10:00:00:00,10:00:01:24',
    'Loose mark,logo,,Sponsor,Producer,,,,',
  ];
  writeFileSync(list, [...lines, 'Nameless,thing,,,,,,,'].join('\n'));
  await page.getByTestId('import-file').setInputFiles(list);
  const dialog = page.getByTestId('import');
  await expect(dialog.getByTestId('wrong')).toContainText('Line 4: there is no kind');
  await expect(dialog.getByRole('button', { name: 'Enter the list' })).toBeDisabled();
  await dialog.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.getByTestId('row')).toHaveCount(0);
  writeFileSync(list, lines.join('\n'));
  await page.getByTestId('import-file').setInputFiles(list);
  await expect(dialog).toContainText('2 new, 0 changed');
  await dialog.getByRole('button', { name: 'Enter the list' }).click();
  await expect(page.getByTestId('row')).toHaveCount(2);
  await expect(row(page, 'Wall plate')).toContainText('plate.mp4 1');
  await expect(row(page, 'Wall plate').getByTestId('state')).toContainText('To do');

  await accessible(page);

  // By the keyboard: search, pick, and what cannot be is refused with its reason.
  await page.keyboard.press('/');
  await page.keyboard.type('wall');
  await expect(page.getByTestId('shown')).toHaveText('1 of 2');
  await page.keyboard.press('Escape');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('r');
  await expect(page.getByTestId('refused')).toContainText('hides it in this shot yet');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /^0:/);
});

test('what the check finds leads to its mending, and closes by itself', async ({ page }) => {
  await boxed(page, 'Found', true);
  await goTo(page, '6');
  await page.keyboard.press('i');
  await saved(page);
  await check(page);
  const kinds = page.getByTestId('finding');
  await expect(kinds.filter({ hasText: 'Readable' }).first()).toBeVisible();
  await expect(bare(page)).toHaveCount(1);
  await expect(bare(page)).toContainText('f 0–5');
  await expect(page.getByTestId('row-finding').first()).toBeVisible();
  await accessible(page);
  // The keys lead to it.
  await page.keyboard.press('Control+ArrowDown');
  await expect(page.getByTestId('finding').locator('[aria-current=true]')).toHaveCount(1);

  // Mended: the findings close.
  await bare(page).getByRole('button').first().click();
  await expect
    .poll(() =>
      bare(page)
        .getByTestId('still')
        .evaluate((i: HTMLImageElement) => i.naturalWidth),
    )
    .toBeGreaterThan(100);
  await bare(page).getByRole('button', { name: 'Lengthen the span' }).click();
  await saved(page);
  expect((await document(page)).covers[0].span.first).toBe(0);
  await kinds.filter({ hasText: 'Readable' }).first().getByRole('button').first().click();
  await page.keyboard.press('Shift+G');
  await page.getByRole('group', { name: 'Treatment' }).getByRole('button', { name: 'Fill', exact: true }).click();
  await saved(page);
  await check(page);
  await expect(page.getByTestId('check')).toHaveText('clean', { timeout: patience });
  await expect(page.getByTestId('finding')).toHaveCount(0);
});

test('a reviewer cannot approve what has a finding, and sends it back with a note on a place', async ({ page }) => {
  const id = await boxed(page, 'Sent back', true);
  await check(page);
  await review(page, id, 'Maren Toll');
  await expect(page.getByRole('button', { name: /Approve/ })).toBeDisabled();
  await page.keyboard.down('c');
  await expect(page.getByTestId('review-picture')).toHaveAttribute('data-shown', /:clean$/);
  await page.keyboard.up('c');
  await page.getByTestId('review-picture').click({ position: { x: 300, y: 200 } });
  await page.getByRole('textbox', { name: 'Note' }).fill('I can read it');
  await expect(page.getByTestId('pin')).toHaveCount(1);
  await accessible(page);
  await page.getByRole('button', { name: 'Send back' }).click();
  await expect(page.getByTestId('to-review')).toHaveCount(0);

  // The editor reads the note in the list and on the bench.
  await page.goto(`/programmes/${id}`);
  await page.getByLabel('Your name').fill('Editor');
  await page.keyboard.press('Tab');
  await expect(row(page, 'Wall plate').getByTestId('state')).toContainText('I can read it');
  await row(page, 'Wall plate').getByRole('link').first().click();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /:/);
  await page.keyboard.press('Alt+5');
  await expect(page.getByTestId('note')).toContainText('I can read it');
});

test('nobody approves their own work; the reviewer does, and the report says so', async ({ page }) => {
  const id = await boxed(page, 'Reviewed', false);
  await check(page);
  await expect(page.getByTestId('check')).toHaveText('clean');
  await review(page, id, 'Editor');
  await expect(page.getByTestId('refusal')).toContainText('omebody else');
  await expect(page.getByRole('button', { name: /Approve/ })).toBeDisabled();
  await page.getByLabel('Reviewer’s name').fill('Maren Toll');
  await page.keyboard.press('Tab');
  await page.getByRole('button', { name: /Approve/ }).click();
  await expect(page.getByTestId('to-review')).toHaveCount(0);
  await page.goto(`/programmes/${id}`);
  await expect(row(page, 'Wall plate').getByTestId('state')).toContainText('Approved');

  const report = await page.request.get(`/api/programmes/${id}/report.html`);
  const html = await report.text();
  for (const word of ['Wall plate', 'Maren Toll', 'Fill']) expect(html).toContain(word);
  await page.goto(`/api/programmes/${id}/report.html`);
  await expect(page.locator('article')).toHaveCount(1);
  await expect(page.locator('img').first()).toHaveJSProperty('complete', true);
  const pdf = await page.request.get(`/api/programmes/${id}/report.pdf`, { timeout: patience });
  expect(pdf.status()).toBe(200);
  expect((await pdf.body()).subarray(0, 5).toString()).toBe('%PDF-');
});

test('what needs no cover is waived with a reason, which the report has', async ({ page }) => {
  const id = await newProgramme(page, 'Waived');
  await bringIn(page, plate('waived.mp4'));
  const entered = await page.request.post(`/api/programmes/${id}/items`, {
    data: { name: 'Loose mark', kind: 'logo', description: '', reason: '', requester: '', due: '' },
  });
  expect(entered.ok(), await entered.text()).toBe(true);
  await page.goto(`/programmes/${id}`);
  await row(page, 'Loose mark').getByRole('button', { name: 'Edit' }).click();
  await page.getByLabel('Also seen in').selectOption({ label: 'waived.mp4' });
  await page.getByRole('button', { name: 'Save' }).click();
  await row(page, 'Loose mark').getByRole('checkbox').check();
  await page.getByTestId('bulk').getByRole('button', { name: 'Waive' }).click();
  await page.getByLabel('Why it is waived').fill('Agreed with the sponsor');
  await page.getByRole('button', { name: 'Waive 1' }).click();
  await expect(row(page, 'Loose mark').getByTestId('state')).toContainText('Waived');
  await expect(page.getByRole('progressbar', { name: 'Approved or waived' })).toHaveAttribute('aria-valuenow', '100');
  const report = await page.request.get(`/api/programmes/${id}/report.html`);
  expect(await report.text()).toContain('Agreed with the sponsor');
});

test('the command line checks the same document', async ({ page }) => {
  await boxed(page, 'Line', false);
  const doc = await document(page);
  const file = join(folder, 'checked.json');
  const part = join(folder, 'Line.mp4');
  const verdict = (d: unknown): { code: number; out: any[] } => {
    writeFileSync(file, JSON.stringify(d));
    try {
      return {
        code: 0,
        out: JSON.parse(
          execFileSync('../bin/celator', ['check', '--json', '--clip', part, '--document', file]).toString(),
        ),
      };
    } catch (e: any) {
      return { code: e.status, out: e.status === 3 ? JSON.parse(e.stdout.toString()) : [] };
    }
  };
  expect(verdict(doc)).toEqual({ code: 0, out: [] });
  const late = structuredClone(doc);
  late.covers[0].span.first = 1;
  const r = verdict(late);
  expect(r.code).toBe(3);
  expect(r.out.map((f) => f.kind)).toContain('bare-ends');
});
