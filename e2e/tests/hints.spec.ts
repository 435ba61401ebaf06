// Help beside the thing: every control of the bench has a description, and says it with its
// key where the pointer rests or the focus comes.
import { expect, test, type Page } from '@playwright/test';
import { hint } from '../../web/src/bench/hints';
import { openFootage } from '../help';

/** The controls that are seen, by their names, with their titles. */
const controls = (page: Page) =>
  page.evaluate(() =>
    [...document.querySelectorAll<HTMLInputElement>('main button, main select, main input, main summary')]
      .filter((e) => e.getClientRects().length > 0 && !e.closest('[data-testid=strip]'))
      .map((e) => ({
        name: (e.getAttribute('aria-label') ?? e.labels?.[0]?.textContent ?? e.textContent).replace(/\s+/g, ' ').trim(),
        title: e.title || e.closest<HTMLElement>('[title]')?.title || '',
      })),
  );

test('every control of every step says what it does', async ({ page }) => {
  await openFootage(page, 'quay-trike', 'Trike plate');
  const mute = new Set<string>();
  for (const step of [1, 2, 3, 4, 5]) {
    await page.keyboard.press(`Alt+${step}`);
    await expect(page.getByRole('complementary', { name: 'Step card' })).toBeVisible();
    for (const c of await controls(page)) if (!hint(c.name) && !c.title) mute.add(`${step}: ${c.name}`);
  }
  expect([...mute]).toEqual([]);

  // Where the pointer rests, with the key.
  await page.keyboard.press('Alt+1');
  const bubble = page.getByTestId('hint');
  await page.getByRole('button', { name: 'Undo (Ctrl+Z)' }).hover();
  await expect(bubble).toHaveText(/Takes back the last change.*Ctrl\+Z/);
  await page.mouse.move(640, 400);
  await expect(bubble).toHaveCount(0);
  // Where the focus comes by the keyboard; a title is the control's own again afterwards.
  await page.getByLabel('Grow', { exact: true }).focus();
  await page.keyboard.press('Tab');
  await expect(bubble).toContainText('Keys grow on this frame');
  await page.keyboard.press('Escape');
  await expect(bubble).toHaveCount(0);
  const deliver = page.getByRole('button', { name: 'Deliver', exact: true });
  await deliver.hover();
  await expect(bubble).toContainText('Shift+D');
  await page.mouse.move(640, 400);
  await expect(deliver).toHaveAttribute('title', 'Deliver (Shift+D)');
});
