// Makes docs/screenshots from the demo programme.
import { expect, test, type Page } from '@playwright/test';
import { goTo, openDemo, runsEnded, saved, shotOf } from '../help';

const shot = (page: Page, name: string) => page.screenshot({ path: `../docs/screenshots/${name}.png` });
const at = async (page: Page, f: number) => {
  await goTo(page, String(f));
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', new RegExp(`^${f}:`));
  await page.waitForTimeout(400);
};

// Each goes on where the one before left the programme.
test.describe.configure({ mode: 'serial' });

test('the programme', async ({ page }) => {
  test.setTimeout(360_000);
  await page.goto('/');
  await expect(page.locator('main img').first()).toBeVisible();
  await page.waitForTimeout(800);
  await shot(page, 'programmes');
  await page.getByRole('link', { name: /Tidewrack/ }).click();
  await expect(page.getByTestId('shot').locator('img')).toHaveCount(7);
  await page.waitForLoadState('networkidle').catch(() => {});
  await page.waitForTimeout(500);
  await shot(page, 'programme');
});

test('keys and the tracker', async ({ page }) => {
  test.setTimeout(360_000);
  await openDemo(page, 'Cargo trike on the quay');
  await at(page, 150);
  await shot(page, 'bench');
  await page.keyboard.press('0');
  await expect(page.locator('[data-testid=sheet-cell][data-ready=false]')).toHaveCount(0, { timeout: 60_000 });
  await shot(page, 'sheet');
  await page.keyboard.press('0');
  await page.getByRole('tab', { name: 'Follow' }).click();
  await page.keyboard.press('Shift+P');
  for (let i = 0; i < 9; i++) {
    await page.keyboard.press('Enter');
    await page.waitForTimeout(150);
  }
  await page.keyboard.press('s');
  await page.waitForTimeout(800);
  await shot(page, 'hand');
  await page.keyboard.press('s');
  await page.keyboard.press('f');
  await at(page, 60);
  await page.getByRole('button', { name: /Add an item/ }).click();
  await page.getByLabel('Name of the item').fill('Rider’s surname');
  await page.getByLabel('Kind').selectOption('speech');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  const card = page.getByRole('complementary', { name: 'Step card' });
  await card.getByRole('button', { name: 'Tone' }).click();
  await saved(page);
  await page.waitForTimeout(800);
  await shot(page, 'sound');
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: /^Quay plate/ }).click();

  await page.keyboard.press('Shift+P');
  await at(page, 150);
  await page.keyboard.press('v');
  await runsEnded(page, 1);
  await at(page, 90);
  await page.waitForTimeout(2500);
  await shot(page, 'follow');
  await at(page, 86);
  await page.keyboard.press('z');
  await page.keyboard.press('r');
  await page.waitForTimeout(1500);
  await shot(page, 'putright');
  await page.keyboard.press('Escape');
  await page.keyboard.press('f');
});

test('a path, and the list of changes', async ({ page }) => {
  test.setTimeout(360_000);
  await openDemo(page, 'Crane and crate');
  await at(page, 60);
  await page.keyboard.press('p');
  await page.keyboard.press('2');
  await page.keyboard.press('z');
  for (let i = 0; i < 8; i++) {
    const a = (Math.PI / 4) * i;
    const [x, y] = [535 + 190 * Math.cos(a), 372 + 205 * Math.sin(a)];
    await page.mouse.move(x, y);
    await page.mouse.down();
    await page.mouse.move(x - 55 * Math.sin(a), y + 55 * Math.cos(a), { steps: 3 });
    await page.mouse.up();
  }
  await page.keyboard.press('Enter');
  await saved(page);
  const knot = (await page.getByTestId('knot 1').boundingBox())!;
  await page.mouse.click(knot.x + 4, knot.y + 4);
  await page.keyboard.press('Alt+Shift+ArrowRight');
  await saved(page);
  await page.getByRole('button', { name: 'Smooth' }).click();
  await saved(page);
  await page.keyboard.press('Control+z');
  await saved(page);
  await page.keyboard.press('Control+y');
  await page.waitForTimeout(400);
  await shot(page, 'changes');
  await page.keyboard.press('Escape');
});

test('treatments and holdouts', async ({ page }) => {
  test.setTimeout(360_000);
  await openDemo(page, "Chandler's sign and pallet");
  await at(page, 30);
  await page.getByRole('tab', { name: 'Conceal' }).click();
  const kinds = page.getByRole('group', { name: 'Treatment' });
  await kinds.getByRole('button', { name: 'Mosaic' }).click();
  await saved(page);
  await page.getByLabel('Cells', { exact: true }).selectOption('hexagon');
  await saved(page);
  await page.waitForTimeout(1500);
  await shot(page, 'conceal');
  await page.getByLabel('Compare with another treatment').selectOption('fill');
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /pair$/, { timeout: 60_000 });
  await page.waitForTimeout(800);
  await shot(page, 'compare');
  await page.getByRole('button', { name: 'Compare no more' }).click();
  await at(page, 20);
  await page.keyboard.press('v');
  await runsEnded(page, 1);
  await page.getByRole('tab', { name: /Hold out/ }).click();
  await page.getByRole('button', { name: /Find what is in front/ }).click();
  await runsEnded(page, 1, true);
  await at(page, 100);
  await page.keyboard.press('Shift+Enter');
  await saved(page);
  await page.waitForTimeout(1500);
  await shot(page, 'hold');
});

test('delivering, all actions', async ({ page }) => {
  test.setTimeout(360_000);
  await openDemo(page, 'Departures screen by hand');
  await at(page, 60);
  await page.getByRole('button', { name: 'Deliver' }).click();
  const dialog = page.getByRole('dialog', { name: 'Deliver' });
  await dialog.getByLabel(/Archive/).check();
  await dialog.getByRole('button', { name: 'Deliver' }).click();
  await expect(dialog.locator('[data-state=done]')).toHaveCount(1, { timeout: 240_000 });
  await shot(page, 'deliver');
  await dialog.getByRole('button', { name: 'Close' }).click();
  await page.keyboard.press('?');
  await page.waitForTimeout(200);
  await shot(page, 'actions');
  await page.keyboard.press('Escape');
  await saved(page);
});

test('the check, the review and the report', async ({ page }) => {
  test.setTimeout(360_000);
  // The check's finding on the trike, handed to the reviewer, and the report.
  await openDemo(page, 'Cargo trike on the quay');
  await expect(page.getByTestId('check')).toHaveText(/severe|minor|clean/, { timeout: 150_000 });
  await page.keyboard.press('Alt+5');
  await page.keyboard.press('Control+ArrowDown');
  await page.waitForTimeout(1500);
  await shot(page, 'check');
  await page.getByRole('button', { name: 'Ready for review' }).click();
  await expect(page.getByTestId('standing').getByRole('button', { name: 'Back to work' })).toBeVisible();
  const programme = (await shotOf(page)).programme as string;
  await page.goto(`/review/${programme}`);
  await expect(page.getByTestId('review-picture')).toHaveAttribute('data-shown', /:concealed$/, { timeout: 60_000 });
  await page.getByLabel('Reviewer’s name').fill('Maren Toll');
  await page.getByRole('slider', { name: 'Frame' }).fill('150');
  await page.waitForTimeout(1500);
  await page.getByTestId('review-picture').click({ position: { x: 400, y: 300 } });
  await page.getByRole('textbox', { name: 'Note' }).fill('It can be read from the frames together');
  await page.waitForTimeout(500);
  await shot(page, 'review');
  await page.getByRole('button', { name: 'Send back' }).click();
  await page.waitForTimeout(500);
  await page.goto(`/api/programmes/${programme}/report.html`);
  await page.waitForTimeout(500);
  await shot(page, 'report');
  await page.goto(`/programmes/${programme}`);
  await page.waitForTimeout(3000);
  await shot(page, 'programme');
});

test('a source', async ({ page }) => {
  test.setTimeout(360_000);
  await page.goto('/');
  await page.getByRole('link', { name: /Tidewrack/ }).click();
  await page
    .getByTestId('shot')
    .filter({ hasText: 'Departures' })
    .getByRole('link', { name: 'About the source' })
    .click();
  await page.getByRole('button', { name: /as one file/ }).waitFor();
  await page.waitForTimeout(400);
  await shot(page, 'source');
});

test('what was found', async ({ page }) => {
  test.setTimeout(900_000);
  await page.goto('/');
  await page.getByRole('link', { name: /Tidewrack/ }).click();
  await page.getByRole('link', { name: 'Proposals' }).click();
  await expect(page.getByTestId('runs')).toContainText('looked through');
  await expect(page.getByTestId('going')).toHaveCount(0, { timeout: 800_000 });
  await page.waitForTimeout(800);
  await shot(page, 'proposals');
});
