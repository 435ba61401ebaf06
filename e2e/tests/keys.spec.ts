// Keys by hand: scopes, copies, locks, and the list of changes.
import { expect, test, type Page } from '@playwright/test';
import { addItem, bringIn, document, dragOn, goTo, newProgramme, pattern, saved, selected } from '../help';

/** A box keyed by hand at frames 0, 20 and 40: 0, 20 and 70 px to the right. */
async function keyed(page: Page, name: string): Promise<void> {
  await newProgramme(page, name);
  await bringIn(page, pattern(`${name}.mp4`));
  await addItem(page, 'Thing');
  await dragOn(page, 100, 80, 160, 120);
  for (const [f, x] of [
    ['20', 150],
    ['40', 200],
  ] as const) {
    await goTo(page, f);
    const c = (await selected(page)).centre;
    await dragOn(page, c.x, c.y, x, 100);
  }
}

const keys = async (page: Page) =>
  (await document(page)).covers[0].motion.keys.map((k: any) => [k.frame, Math.round(k.move.x)]);

test('over the whole span all keys move alike; a held key keeps its place', async ({ page }) => {
  await keyed(page, 'Scopes');
  expect(await keys(page)).toEqual([
    [0, 0],
    [20, 20],
    [40, 70],
  ]);

  // Over the whole span all keys move alike.
  await expect(page.getByTestId('between')).toHaveText(/Key at f 40/);
  await goTo(page, '30');
  await expect(page.getByTestId('between')).toHaveText(
    /Between keys f 20 and f 40: moves evenly. A drag adds a key at f 30/,
  );
  await page.getByRole('button', { name: 'Whole span' }).click();
  await page.keyboard.press('Alt+Shift+ArrowRight');
  await saved(page);
  expect(await keys(page)).toEqual([
    [0, 10],
    [20, 30],
    [40, 80],
  ]);
  await page.getByRole('button', { name: 'This frame' }).first().click();

  // Held and eased, from the card; a held one does not move before the next key.
  await page.getByRole('tab', { name: /Follow/ }).click();
  await goTo(page, '20');
  await page.getByRole('button', { name: 'Held' }).click();
  await saved(page);
  expect((await selected(page, 39)).placement.move.x).toBe((await selected(page, 20)).placement.move.x);
});

test('several keys are dragged together and copied', async ({ page }) => {
  await keyed(page, 'Dragged');
  // Several keys picked and dragged together; none past the span.
  const pin = (n: number) => page.getByTestId('key').nth(n);
  for (const n of [1, 2]) {
    const box = (await pin(n).boundingBox())!;
    await page.keyboard.down('Shift');
    await page.mouse.click(box.x + box.width / 2, box.y + 4);
    await page.keyboard.up('Shift');
  }
  const track = (await page.getByTestId('timeline').boundingBox())!;
  const grab = (await pin(1).boundingBox())!;
  await page.mouse.move(grab.x + grab.width / 2, grab.y + 4);
  await page.mouse.down();
  await page.mouse.move(track.x + (25.5 / 60) * track.width, grab.y + 4, { steps: 4 });
  await page.mouse.up();
  await saved(page);
  expect((await keys(page)).map((k: number[]) => k[0])).toEqual([0, 25, 45]);
  await page.mouse.move(track.x + (25.5 / 60) * track.width, grab.y + 4);
  await page.mouse.down();
  await page.mouse.move(track.x + track.width + 40, grab.y + 4, { steps: 4 });
  await page.mouse.up();
  await saved(page);
  expect((await keys(page)).map((k: number[]) => k[0])).toEqual([0, 39, 59]);

  // Copied to a frame, and onto all.
  await page.keyboard.press('Escape');
  await goTo(page, '39');
  await page.keyboard.press('Control+c');
  await goTo(page, '10');
  await page.keyboard.press('Control+v');
  await saved(page);
  expect(await keys(page)).toEqual([
    [0, 0],
    [10, 20],
    [39, 20],
    [59, 70],
  ]);
  await page.keyboard.press('Control+Shift+v');
  await saved(page);
  expect(new Set((await keys(page)).map((k: number[]) => k[1]))).toEqual(new Set([20]));
  await page.keyboard.press('Control+z');
  await saved(page);
});

test('a key of a row that is not in hand is drawn, and dragged in one press', async ({ page }) => {
  await keyed(page, 'Drawn');
  const before = (await keys(page)).map((k: number[]) => k[0]);
  expect(before).toContain(20);
  await addItem(page, 'Other');
  await expect(page.getByTestId('key')).toHaveCount(0); // no buttons for what is not in hand
  await expect(page.getByTestId('keys-drawn')).toBeVisible();
  const track = (await page.getByTestId('timeline').boundingBox())!;
  const at = (f: number) => track.x + ((f + 0.5) / 60) * track.width;
  await page.keyboard.press('Escape');
  await page.mouse.move(at(20), track.y + 4);
  await page.mouse.down();
  await page.mouse.move(at(27), track.y + 4, { steps: 4 });
  await page.mouse.up();
  await saved(page);
  expect((await keys(page)).map((k: number[]) => k[0])).toEqual(before.map((f: number) => (f === 20 ? 27 : f)));
  await expect(page.getByTestId('key')).toHaveCount(before.length); // it is in hand now
  await expect(page.getByTestId('frame')).toHaveText('f 27');
});

test('a number holds for the whole span until a key is asked for', async ({ page }) => {
  await keyed(page, 'Numbers');
  await goTo(page, '10');
  await page.getByRole('tab', { name: /Conceal/ }).click();
  const strength = page.getByLabel('Strength', { exact: true });
  await strength.fill('80');
  await strength.press('Enter');
  await saved(page);
  expect((await document(page)).covers[0].treatments[0].strength).toBe(0.8);
  await page.getByRole('button', { name: /Strength: not keyed/ }).click();
  await saved(page);
  await goTo(page, '30');
  await page.getByRole('button', { name: /Strength: keyed, no key here/ }).click();
  await saved(page);
  await strength.fill('90'); // the whole span: both keys alike
  await strength.press('Enter');
  await saved(page);
  const values = async () =>
    (await document(page)).covers[0].treatments[0].strength.keys.map((k: any) => [k.frame, +k.value.toFixed(6)]);
  expect(await values()).toEqual([
    [10, 0.9],
    [30, 0.9],
  ]);
  await page.getByRole('button', { name: 'This frame' }).click();
  await strength.fill('50');
  await strength.press('Enter');
  await saved(page);
  expect(await values()).toEqual([
    [10, 0.9],
    [30, 0.5],
  ]);
});

test('keys outside the span are told, and a point of the path is dragged from another frame', async ({ page }) => {
  await keyed(page, 'Course');
  await goTo(page, '30');
  await page.keyboard.press('i');
  await saved(page);
  await page.getByRole('tab', { name: /Follow/ }).click();
  await expect(page.getByText(/2 keys lie outside the span/)).toBeVisible();
  await page.keyboard.press('Control+z');
  await saved(page);
  await goTo(page, '0');
  await page.keyboard.press('Delete');
  await saved(page);
  await expect(page.getByTestId('held-backward')).toBeVisible();

  // A point of the centre's path is dragged, from another frame.
  await page.keyboard.press('Shift+P');
  const point = (await page.getByTestId('course 40').boundingBox())!;
  const far = (await selected(page, 40)).centre;
  await page.mouse.move(point.x + point.width / 2, point.y + point.height / 2);
  await page.mouse.down();
  await page.mouse.move(point.x + point.width / 2 + 30, point.y + point.height / 2 + 60, { steps: 4 });
  await page.mouse.up();
  await saved(page);
  await expect(page.getByTestId('saved')).toHaveText('Saved: moved Thing at f 40');
  expect((await selected(page, 40)).centre.y).toBeGreaterThan(far.y + 5);
  await page.keyboard.press('Control+z');
  await saved(page);
});

test('what is set aside stays hidden, and what is locked does not move', async ({ page }) => {
  await keyed(page, 'Locked');
  await expect(page.getByTestId('selected-cover')).toHaveCount(1);
  await page.keyboard.press('Shift+U');
  await saved(page);
  await expect(page.getByTestId('selected-cover')).toHaveCount(0);
  expect((await document(page)).covers[0].off).toBeFalsy();
  await page.keyboard.press('Shift+U');
  await saved(page);

  // Locked: no drag, no key, no command moves it, and it says so.
  await page.keyboard.press('u');
  await saved(page);
  const before = JSON.stringify(await document(page));
  const c = (await selected(page)).centre;
  await dragOn(page, c.x, c.y, c.x + 30, c.y);
  await page.keyboard.press('Alt+ArrowRight');
  await expect(page.getByRole('alert')).toHaveText(/locked; unlock it first/);
  expect(JSON.stringify(await document(page))).toBe(before);
});

test('the list of changes leads back to any of them, and survives a reload', async ({ page }) => {
  await keyed(page, 'Changes');
  await page.keyboard.press('u');
  await saved(page);
  await page.keyboard.press('Control+y');
  const list = page.getByRole('dialog', { name: 'All changes' });
  await expect(list.getByRole('button', { name: /locked Thing.*shown now/ })).toBeVisible();
  await list.getByRole('button', { name: /moved Thing at f 20/ }).click();
  await saved(page);
  expect(await keys(page)).toEqual([
    [0, 0],
    [20, 20],
  ]);
  await page.reload();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /:/);
  await page.keyboard.press('Control+Shift+z');
  await saved(page);
  expect(await keys(page)).toEqual([
    [0, 0],
    [20, 20],
    [40, 70],
  ]);
});
