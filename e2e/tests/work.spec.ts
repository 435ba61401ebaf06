// What takes long is in one place on every page; the contact sheet; the first steps of a
// programme that is new.
import { expect, test } from '@playwright/test';
import {
  accessible,
  clip,
  corners,
  dragOn,
  goTo,
  newProgramme,
  openFootage,
  runsEnded,
  saved,
  patience,
} from '../help';

test('a new programme leads to its first cover, and what takes long is listed on every page', async ({ page }) => {
  const id = await newProgramme(page, 'First steps');
  const steps = page.getByTestId('first-steps').getByRole('button');
  await expect(steps).toHaveCount(3);
  await expect(steps.nth(2)).toBeDisabled();
  const choosing = page.waitForEvent('filechooser');
  await steps.nth(0).click();
  const long = ['-f', 'lavfi', '-i', 'testsrc2=size=1280x720:rate=25:duration=24', '-c:v', 'libx264', '-preset'];
  await (await choosing).setFiles(clip('master.mp4', ...long, 'ultrafast', '-pix_fmt', 'yuv420p'));

  // The import is listed with how far it has come, also after a reload.
  const work = page.getByTestId('work');
  await expect(work).toContainText('going on');
  await work.click();
  const going = page.getByTestId('work-item').filter({ hasText: 'master.mp4' }).first();
  await expect(going).toContainText(/of 600 frames/);
  await page.reload();
  await page.getByTestId('work').click();
  await expect(going).toContainText(/a second/);
  await accessible(page);
  await page.keyboard.press('Escape');

  // The second step is the list, or an item on the bench; the third opens the first shot.
  await expect(steps.nth(2)).toBeEnabled({ timeout: patience });
  await steps.nth(2).click();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /^0:/);
  await page.goto(`/programmes/${id}`);

  // A delivery, stopped from another page than its own.
  const shot = (await (await page.request.get(`/api/programmes/${id}`)).json()).shots[0].id;
  const data = { preset: 'archive' };
  expect((await page.request.post(`/api/shots/${shot}/deliveries`, { data })).ok()).toBe(true);
  await page.goto('/');
  await page.getByTestId('work').click();
  const delivery = page.locator('[data-testid=work-item][data-kind=delivery]').filter({ hasText: 'master.mkv' });
  await delivery.getByRole('button', { name: /^Stop/ }).click();
  await expect(delivery).toHaveCount(0);
  const after = (await (await page.request.get(`/api/programmes/${id}`)).json()).deliveries[0];
  expect(after.state).toBe('cancelled');
});

test('the contact sheet shows every frame of the span, and leads to one', async ({ page }) => {
  await openFootage(page, 'quay-trike', 'Trike plate');
  await page.keyboard.press('0');
  const cells = page.getByTestId('sheet-cell');
  await expect(cells).toHaveCount(200);
  await expect(page.locator('[data-testid=sheet-cell][data-ready=false]')).toHaveCount(0, { timeout: patience });
  await accessible(page);
  // All of them at one glance.
  const last = (await cells.last().boundingBox())!;
  const room = (await page.getByTestId('sheet').boundingBox())!;
  expect(last.y + last.height).toBeLessThanOrEqual(room.y + room.height);
  // Concealed differs from clean where the cover is, as the delivered picture does.
  const shown = () => cells.nth(50).screenshot();
  const concealed = await shown();
  await page.getByRole('button', { name: 'Clean', exact: true }).click();
  await expect(page.locator('[data-testid=sheet-cell][data-ready=false]')).toHaveCount(0, { timeout: patience });
  expect(concealed.equals(await shown())).toBe(false);
  await cells.nth(123).click();
  await expect(page.getByTestId('sheet')).toHaveCount(0);
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /^123:/);
  // By the keyboard.
  await page.keyboard.press('0');
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('sheet')).toHaveCount(0);
  await expect(page.getByTestId('frame')).toHaveText('f 124');
});

test('the guide leads from an empty shot to a delivery', async ({ page }) => {
  await openFootage(page, 'quay-trike', 'Trike plate', false);
  await page.keyboard.press('Alt+g');
  const guide = page.getByTestId('guide');
  const step = guide.locator('[aria-current=step]');
  await expect(step).toContainText('press B');
  await accessible(page);
  await goTo(page, '20');
  const c = corners('quay-trike')[20]!;
  const [xs, ys] = [c.map((p) => p.x), c.map((p) => p.y)];
  await page.keyboard.press('b');
  await dragOn(page, Math.min(...xs) - 5, Math.min(...ys) - 5, Math.max(...xs) + 5, Math.max(...ys) + 5);
  await saved(page);
  await expect(step).toContainText('Press V');
  await page.keyboard.press('v');
  await runsEnded(page, 1);
  await page.keyboard.press('0');
  await expect(page.getByTestId('sheet')).toBeVisible();
  await page.keyboard.press('0');
  await expect(step).toContainText('Alt+4');
  await page.keyboard.press('Alt+4');
  await expect(step).toContainText('Ctrl+Enter');
  await page.keyboard.press('Control+Enter');
  await expect(step).toContainText('Shift+D', { timeout: patience });
  await page.keyboard.press('Shift+D');
  const dialog = page.getByRole('dialog', { name: 'Deliver' });
  await dialog.getByRole('button', { name: 'Deliver' }).click();
  await expect(dialog.locator('[data-state=done]')).toHaveCount(1, { timeout: patience });
  await dialog.getByRole('button', { name: 'Close' }).click();
  await expect(guide.getByRole('heading')).toHaveText(/^Done/);
});
