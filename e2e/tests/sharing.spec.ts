// Two browsers on one shot.
import { expect, test, type Page } from '@playwright/test';
import { addItem, bringIn, core, document, dragOn, newProgramme, pattern, saved } from '../help';

test('two browsers on one shot', async ({ page, context }) => {
  await newProgramme(page, 'Two');
  await bringIn(page, pattern('two.mp4'));
  for (const [name, x] of [
    ['First', 60],
    ['Second', 260],
  ] as const) {
    await addItem(page, name);
    await dragOn(page, x, 60, x + 80, 120);
  }
  const other = await context.newPage();
  await other.goto(page.url());
  await expect(other.getByTestId('picture')).toHaveAttribute('data-shown', /:/);

  // The second sees the first's change at once.
  const move = async (p: Page, name: string, key: string) => {
    await p
      .getByRole('navigation')
      .getByRole('button', { name: new RegExp(`^${name}`) })
      .click();
    await p.keyboard.press(key);
  };
  const x = async (p: Page, n: number) => (await core(p, 'document')).covers[n].motion.keys[0].move.x;
  await move(page, 'First', 'Alt+Shift+ArrowRight');
  await expect.poll(() => x(other, 0)).toBe(10);

  // Different covers, changed on the same base: both changes stand.
  const cut = async (p: Page, on: boolean) => p.route('**/api/shots/*', (r) => (on ? r.abort() : r.continue()));
  await other.route('**/api/events', (r) => r.abort());
  await other.reload();
  await expect(other.getByTestId('picture')).toHaveAttribute('data-shown', /:/);
  await move(page, 'First', 'Alt+Shift+ArrowRight');
  await saved(page);
  expect(await x(other, 0)).toBe(10); // it has not heard
  await move(other, 'Second', 'Alt+Shift+ArrowRight');
  await saved(other);
  await expect(other.getByTestId('conflict')).toHaveCount(0);
  expect([await x(other, 0), await x(other, 1)]).toEqual([20, 10]);
  await expect.poll(() => x(page, 1)).toBe(10);

  // The same cover: the editor is asked, with both shown; neither is lost, not even by a reload.
  await move(page, 'Second', 'Alt+Shift+ArrowDown');
  await saved(page);
  await move(other, 'Second', 'Alt+Shift+ArrowRight');
  await expect(other.getByTestId('conflict')).toContainText('moved Second at f 0');
  expect(await x(other, 1)).toBe(10);
  await other.reload();
  await expect(other.getByTestId('conflict')).toContainText('moved Second at f 0');
  await other.getByRole('button', { name: 'Put mine on top' }).click();
  await saved(other);
  expect(await x(other, 1)).toBe(20);
  await expect.poll(() => x(page, 1)).toBe(20);
  await move(page, 'Second', 'Alt+Shift+ArrowDown');
  await saved(page);
  await move(other, 'Second', 'Alt+Shift+ArrowUp');
  await other.getByRole('button', { name: 'Keep theirs' }).click();
  await expect(other.getByTestId('conflict')).toHaveCount(0);
  expect((await document(other)).covers).toEqual((await document(page)).covers);

  // A server that cannot be reached loses nothing.
  await cut(page, true);
  await page.route('**/edits', (r) => r.abort());
  await move(page, 'First', 'Alt+Shift+ArrowRight');
  await expect(page.getByRole('alert')).toHaveText(/kept here and saved when it is back/);
  await page.unroute('**/edits');
  await saved(page);
  expect((await document(page)).covers[0].motion.keys[0].move.x).toBeCloseTo(30, 6);
});
