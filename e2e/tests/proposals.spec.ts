// What was found is offered: from the file to a plate that is covered, followed and checked, by
// the keyboard; and what is not needed is not asked for again.
import { expect, test } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { corners, openFootage, patience } from '../help';

const clip = '../.run/media/tidewrack-week/quay-trike/clip.mp4';

test('a plate is found, accepted with one key, followed, and passes the check', async ({ page }) => {
  await page.goto('/');
  await page.getByLabel('Name of a new programme').fill(`Found ${Math.random()}`);
  await page.getByRole('button', { name: 'Create', exact: true }).click();
  // 1: bring the file in. 2: go to what was found; the tests' server does not look by itself. 3: have it look.
  await page
    .getByTestId('upload')
    .setInputFiles({ name: 'quay.mp4', mimeType: 'video/mp4', buffer: readFileSync(clip) });
  await expect(page.getByTestId('shot')).toBeVisible();
  await page.getByRole('link', { name: 'Proposals' }).click();
  await page.getByRole('button', { name: 'Look through the programme' }).click();
  await expect(page.getByTestId('going')).toBeVisible();
  await expect(page.getByTestId('going')).toBeHidden({ timeout: patience });

  // The plate comes first, with what it reads and where it is; the sign on the box beside it.
  const groups = page.getByTestId('group');
  await expect(groups.first()).toContainText(/KS\s?47\s?OH/);
  await expect(groups.first()).toContainText('Plate');
  await expect(groups.filter({ hasText: /SKERRY/ })).toHaveCount(1);
  const card = page.getByTestId('card');
  await expect(card).toContainText(/f 0 to 199/);
  const programme = page.url().split('/').pop()!;
  const list = async () => (await page.request.get(`/api/programmes/${programme}/proposals`)).json();
  const { proposals } = await list();
  const plate = proposals.find((p: any) => p.kind === 'plate');

  // 4: yes, also where the pointer chose it.
  await groups.first().click();
  await page.keyboard.press('a');
  await expect(page.getByRole('status').filter({ hasText: 'A cover was made' })).toBeVisible();
  await expect(groups.filter({ hasText: /KS\s?47\s?OH/ })).toHaveCount(0);

  // It is followed and checked by itself: nothing severe is left to say.
  const shot = async () => (await page.request.get(`/api/shots/${plate.in}`)).json();
  await expect
    .poll(async () => (await shot()).revision.document.covers[0]?.track ?? '', { timeout: patience })
    .not.toBe('');
  const cover = (await shot()).revision.document.covers[0];
  expect(cover.draft).toBe(true);
  await expect
    .poll(
      async () => {
        const c = await (await page.request.get(`/api/shots/${plate.in}/check`)).json();
        return c.current && c.state === 'done' ? c.findings.map((f: any) => `${f.severity} ${f.kind}`) : 'not yet';
      },
      { timeout: patience },
    )
    .not.toBe('not yet');
  const check = await (await page.request.get(`/api/shots/${plate.in}/check`)).json();
  expect(check.findings.filter((f: any) => f.kind.startsWith('readable'))).toEqual([]);

  // It lies on the plate: 5: look at it, and say yes to the draft.
  await page.getByRole('button', { name: /^Accepted/ }).click();
  await page.getByRole('link', { name: 'Cover', exact: true }).click();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /:/);
  const truth = corners('quay-trike')[plate.frame]!;
  const knots = cover.outlines[0].keys[0].knots.map((k: any) => k.p);
  const middle = (q: { x: number; y: number }[]) => [
    q.reduce((n, p) => n + p.x, 0) / q.length,
    q.reduce((n, p) => n + p.y, 0) / q.length,
  ];
  const [a, b] = [middle(knots), middle(truth)];
  expect(Math.hypot(a[0]! - b[0]!, a[1]! - b[1]!)).toBeLessThan(20);
  await page.getByRole('button', { name: /Yes to this draft/ }).click();
  await expect.poll(async () => (await shot()).revision.document.covers[0].draft ?? false).toBe(false);

  // What is not needed is said once, and taken back with a key; what is later waits.
  await page.goto(`/proposals/${programme}`);
  const open = page.getByTestId('open-proposals');
  const n = (await list()).proposals.filter((p: any) => p.state === 'open').length;
  const says = (n: number) => (n === 1 ? 'one is open' : `${n} are open`);
  await expect(open).toHaveText(says(n));
  await page.keyboard.press('n');
  await expect(open).toHaveText(says(n - 1));
  await page.keyboard.press('u');
  await expect(open).toHaveText(says(n));
  await page.keyboard.press('r');
  await page.getByLabel('Why it is not needed').fill('A made-up firm');
  await page.keyboard.press('Enter');
  await expect(open).toHaveText(n - 1 ? says(n - 1) : /0|none|no/);
  await page.getByRole('button', { name: /^Not needed \d/ }).click();
  await expect(card).toContainText('A made-up firm');

  // Looked through again nothing that was decided is asked anew.
  const decided = (await list()).proposals.filter((p: any) => p.state !== 'open').length;
  await page.getByRole('button', { name: 'Look through again' }).click();
  await expect(page.getByTestId('going')).toBeVisible();
  await expect(page.getByTestId('going')).toBeHidden({ timeout: patience });
  const after = (await list()).proposals;
  expect(after.filter((p: any) => p.state !== 'open').length).toBe(decided);
  expect(after.length).toBe(proposals.length);
});

test('on the bench what was found is shown when asked, and one key covers it', async ({ page }) => {
  await openFootage(page, 'chandlers-sign', 'Oilskin rack', false);
  const shot = page.url().split('/').pop()!.split('?')[0]!;
  const here = await (await page.request.get(`/api/shots/${shot}`)).json();
  await page.request.post(`/api/programmes/${here.programme}/find`, { data: {} });
  const found = async () => (await page.request.get(`/api/shots/${shot}/proposals`)).json();
  await expect.poll(async () => (await found()).length, { timeout: patience }).toBeGreaterThan(1);
  await page.keyboard.press('Alt+f');
  const card = page.getByTestId('found');
  await expect(card).toContainText(/BRANNOCK/);
  await expect(page.getByTestId('found-box').first()).toBeVisible();
  // The box lies on the sign.
  const rows = await found();
  const box = rows[0].seen[0].quad;
  expect(box[0].x).toBeGreaterThan(200);
  expect(box[0].x).toBeLessThan(box[1].x);
  await page.keyboard.press('Alt+n');
  await expect(card.locator('li')).toHaveCount(rows.length - 1);
  await page.keyboard.press('Alt+c');
  await expect(card.locator('li')).toHaveCount(rows.length - 2);
  await expect(page.getByTestId('draft')).toBeVisible();
  await page.keyboard.press('Alt+y');
  await expect(page.getByTestId('draft')).toBeHidden();
  await page.keyboard.press('Alt+f');
  await expect(card).toBeHidden();
});
