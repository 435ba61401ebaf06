// The programme's page: the order of its shots, and names that are taken.
import { expect, test } from '@playwright/test';
import { addItem, bringIn, clip, dragOn, newProgramme, saved, shotOf, patience } from '../help';

/** A short clip of one colour. */
const plain = (name: string, colour: string) =>
  clip(name, '-f', 'lavfi', '-i', `color=0x${colour}:s=320x180:r=25:d=0.4`, '-pix_fmt', 'yuv420p');

test('shots stand as in the master, as in the list, or as they are dragged', async ({ page }) => {
  const id = await newProgramme(page, 'Ordered');
  const card = page.getByTestId('shot');
  for (const [n, name, colour] of [
    [1, 'one.mp4', '804020'],
    [2, 'two.mp4', '208040'],
    [3, 'three.mp4', '204080'],
  ] as const) {
    await page.getByTestId('upload').setInputFiles(plain(name, colour));
    await expect(card).toHaveCount(n);
    await expect(card.locator('progress')).toHaveCount(0);
  }
  const order = () => card.getByRole('link', { name: /^(one|two|three)\.mp4$/ }).allTextContents();
  expect(await order()).toEqual(['one.mp4', 'two.mp4', 'three.mp4']);

  // The list has a thing of the third shot first, then one of the first.
  const { shots } = await (await page.request.get(`/api/programmes/${id}`)).json();
  for (const [shot, name] of [
    [shots[2], 'Crate mark'],
    [shots[0], 'Boat number'],
  ])
    await page.request.post(`/api/shots/${shot.id}/items`, { data: { name, kind: 'logo' } });
  await page.reload();
  await page.getByRole('button', { name: 'as in the list' }).click();
  await expect.poll(order).toEqual(['three.mp4', 'one.mp4', 'two.mp4']);

  await card.nth(2).dragTo(card.nth(0));
  await expect.poll(order).toEqual(['two.mp4', 'three.mp4', 'one.mp4']);
  await page.getByRole('button', { name: 'three.mp4 earlier' }).click();
  await expect.poll(order).toEqual(['three.mp4', 'two.mp4', 'one.mp4']);
  await page.reload();
  await expect.poll(order).toEqual(['three.mp4', 'two.mp4', 'one.mp4']);
  await page.getByRole('button', { name: 'as in the master' }).click();
  await expect.poll(order).toEqual(['one.mp4', 'two.mp4', 'three.mp4']);
});

test('a second programme of a name asks', async ({ page }) => {
  const id = await newProgramme(page, 'Quayside');
  await page.goto('/');
  const create = async () => {
    await page.getByLabel('Name of a new programme').fill('quayside ');
    await page.getByRole('button', { name: 'Create', exact: true }).click();
  };
  await expect(page.getByRole('link', { name: /Quayside/ })).toHaveCount(1);
  await create();
  const asks = page.getByRole('alertdialog', { name: 'The name is taken' });
  await asks.getByRole('link', { name: 'Open it' }).click();
  await expect(page).toHaveURL(new RegExp(`/programmes/${id}$`));
  await page.goto('/');
  await expect(page.getByRole('link', { name: /Quayside/ })).toHaveCount(1);
  await create();
  await asks.getByRole('button', { name: 'Create a second one' }).click();
  await expect(page).toHaveURL(/\/programmes\//);
  await expect(page).not.toHaveURL(new RegExp(`/programmes/${id}$`));
});

test('review tells that the check has not come, and asks for it', async ({ page }) => {
  const id = await newProgramme(page, 'Hurried');
  await bringIn(page, plain('hurried.mp4', '806040'));
  await addItem(page, 'Mark');
  await dragOn(page, 80, 60, 160, 110);
  await saved(page);
  const item = (await shotOf(page)).items[0].id;
  await page.goto(
    `/review/${id}?item=${item}&shot=${(await (await page.request.get(`/api/programmes/${id}`)).json()).shots[0].id}`,
  );
  await page.getByLabel('Reviewer’s name').fill('Maren Toll');
  await expect(page.getByRole('button', { name: /^Approve/ })).toBeDisabled();
  const run = page.getByTestId('check-run');
  await expect(run).toContainText('The check is to come');
  await run.getByRole('button', { name: 'Check now' }).click();
  await expect(run).toHaveCount(0, { timeout: patience });
});
