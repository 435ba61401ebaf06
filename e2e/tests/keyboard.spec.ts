// The bench without a mouse, and with a screen reader.
import { expect, test } from '@playwright/test';
import { accessible, addItem, bringIn, clickOn, document, drawCorners, newProgramme, pattern, saved } from '../help';

test('a whole cover by the keyboard alone', async ({ page }) => {
  await newProgramme(page, 'Keyboard');
  await bringIn(page, pattern('keyboard.mp4'));
  await page.keyboard.press('Insert');
  await page.keyboard.type('Number 7');
  await page.keyboard.press('Tab');
  await page.keyboard.press('n'); // kind: number
  await page.keyboard.press('Tab');
  await page.keyboard.press('Enter');
  await expect(page.getByText('Number 7 has no cover yet')).toBeVisible();
  await page.keyboard.press('e');
  await page.keyboard.press('Enter');
  await saved(page);
  for (const k of [
    'Alt+Shift+ArrowLeft',
    'Alt+Shift+ArrowLeft',
    'Alt+ArrowUp',
    '=',
    '=',
    '.',
    'End',
    'Alt+Shift+ArrowRight',
    'Home',
    'Enter',
    'Enter',
    'Alt+Shift+ArrowDown',
    'Shift+3',
  ]) {
    await page.keyboard.press(k);
    await saved(page);
  }
  await page.keyboard.press('g');
  await page.keyboard.type('5');
  await page.keyboard.press('Enter');
  await page.keyboard.press('i');
  await saved(page);
  const c = (await document(page)).covers[0];
  expect(c.span).toEqual({ first: 5, last: 59 });
  expect(c.motion.keys.map((k: any) => [k.frame, k.ease ?? ''])).toEqual([
    [0, ''],
    [29, 'eased'],
    [59, ''],
  ]);
  expect(c.motion.keys[0].turn).toBe(0.5);
  expect(c.motion.keys[0].size.x).toBeCloseTo(1.0201, 6);
  expect(c.motion.keys[0].move.x).toBeCloseTo(-20, 6);
  // The treatment and the delivery by Tab, Space and Enter.
  await page.keyboard.press('Alt+4');
  const deliver = page.getByRole('button', { name: 'Deliver' });
  await page.getByRole('button', { name: 'Fill' }).focus();
  await page.keyboard.press('Space');
  await saved(page);
  expect((await document(page)).covers[0].treatments[0].kind).toBe('fill');
  await deliver.focus();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('dialog', { name: 'Deliver' })).toBeVisible();
});

test('every state of the bench passes the accessibility check', async ({ page }) => {
  await newProgramme(page, 'Axe');
  await bringIn(page, pattern('axe.mp4'));
  await addItem(page, 'Thing');
  await accessible(page, 'drawing');
  await drawCorners(page);
  await clickOn(page, 100, 60);
  await expect(page.getByText('One knot of 4')).toBeVisible();
  await accessible(page, 'a knot picked');
  await page.keyboard.press('Escape');
  await page.keyboard.press('Alt+2');
  await page.keyboard.press('Shift+P');
  await page.keyboard.press('Enter');
  await accessible(page, 'keys and course');
  await page.keyboard.press('u');
  await saved(page);
  await accessible(page, 'locked');
  for (const look of ['matte', 'side', 'wipe', 'clean']) {
    await page.getByLabel('What is shown').selectOption(look);
    await accessible(page, look);
  }
  await page.keyboard.press('Control+y');
  await expect(page.getByRole('dialog', { name: 'All changes' })).toBeVisible();
  await accessible(page, 'changes');
});
