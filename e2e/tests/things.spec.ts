// Tracks and labels as things of their own: points put right by an anchor, a track trimmed
// and named, a label on it, and what nothing rides on taken away.
import { expect, test } from '@playwright/test';
import { attempts, corners, document, goTo, onScreen, openFootage, runsEnded, saved } from '../help';

test('points are followed, put right, trimmed, labelled, and their track is taken away', async ({ page }) => {
  await openFootage(page, 'quay-trike', 'Trike plate');
  const truth = corners('quay-trike');
  await goTo(page, '20');
  await page.getByRole('tab', { name: /Follow/ }).click();
  await page.getByRole('button', { name: 'Set points' }).click();
  const plate = truth[20]!;
  for (const i of [0, 1, 3]) {
    const p = await onScreen(page, plate[i]!.x, plate[i]!.y);
    await page.mouse.click(p.x, p.y);
  }
  await page.getByRole('button', { name: 'Track (V)' }).click();
  await runsEnded(page, 1);
  // Accurate, and called so.
  const newest = async () => (await page.request.get(`/api/attempts/${(await attempts(page))[0].id}`)).json();
  const { poses } = await newest();
  const good = [...poses.states].filter((c: string) => 'ga'.includes(c)).length;
  expect(good / poses.states.length).toBeGreaterThan(0.9);

  // Put right on another frame: an anchor of points, from which both sides are tracked again.
  await goTo(page, '120');
  await page.keyboard.press('r');
  const at = poses.places[120 - poses.first];
  const [from, to] = [await onScreen(page, at[0], at[1]), await onScreen(page, truth[120]![0]!.x, truth[120]![0]!.y)];
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(to.x, to.y, { steps: 3 });
  await page.mouse.up();
  await page.getByRole('button', { name: 'Set an anchor here' }).click();
  await runsEnded(page, 2);
  const track = (await document(page)).tracks[0];
  expect(track.anchors.map((a: any) => a.frame)).toEqual([120]);
  expect(
    Math.hypot(track.anchors[0].points[0].x - truth[120]![0]!.x, track.anchors[0].points[0].y - truth[120]![0]!.y),
  ).toBeLessThan(1.5);
  expect((await newest()).poses.states[120]).toBe('a');

  // The track is a thing in the list: named, trimmed, labelled.
  await page.getByRole('button', { name: /^▸ Tracks/ }).click();
  const list = page.getByRole('navigation', { name: 'Items of this shot' });
  await list.getByRole('button', { name: /1 on it/ }).click();
  const card = page.getByRole('complementary', { name: 'Step card' });
  await card.getByLabel('Name').fill('Front wheel');
  await card.getByLabel('Name').press('Enter');
  await saved(page);
  await goTo(page, '150');
  await card.getByRole('button', { name: 'Ends here' }).click();
  await saved(page);
  await expect(card.getByTestId('counted')).toContainText('f 0 to 150');
  expect((await document(page)).tracks[0]).toMatchObject({ name: 'Front wheel', trim: { first: 0, last: 150 } });
  await card.getByRole('button', { name: 'All that was followed' }).click();
  await saved(page);
  await expect(card.getByTestId('counted')).toContainText('f 0 to 199');
  await expect(card.getByRole('button', { name: 'Remove the track' })).toBeDisabled();
  await card.getByRole('button', { name: 'Hang a label on it' }).click();
  await card.getByLabel('Text').fill('Rented trike');
  await card.getByLabel('Text').press('Enter');
  await saved(page);
  await expect(page.getByTestId('label')).toHaveText('Rented trike');

  // Off the track by hand keys: nothing rides on it any more, and it can go, its label with it.
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: /Other attempts/ }).click();
  await page.getByRole('button', { name: 'Turn into hand keys' }).click();
  await saved(page);
  expect((await document(page)).covers[0].track ?? '').toBe('');
  await expect(page.getByTestId('label')).toHaveCount(0);
  expect((await document(page)).tracks ?? []).toEqual([]);
});

test('a marker has a note, is gone to by the keys, and is taken away', async ({ page }) => {
  await openFootage(page, 'quay-trike', 'Trike plate');
  for (const [at, note] of [
    ['40', 'the boy looks up'],
    ['90', 'rail passes'],
  ] as const) {
    await goTo(page, at);
    await page.keyboard.press('Alt+m');
    await page.getByLabel('Note of the marker').fill(note);
    await page.getByLabel('Note of the marker').press('Enter');
    await saved(page);
  }
  expect((await document(page)).markers.map((m: any) => [m.frame, m.note])).toEqual([
    [40, 'the boy looks up'],
    [90, 'rail passes'],
  ]);
  await page.reload();
  await expect(page.getByTestId('marker')).toHaveCount(2);
  await page.keyboard.press('Alt+PageDown');
  await expect(page.getByTestId('frame')).toHaveText('f 40');
  await page.getByRole('button', { name: 'Marker at frame 90: rail passes' }).click();
  await expect(page.getByTestId('frame')).toHaveText('f 90');
  await page.getByRole('button', { name: 'Remove the marker' }).click();
  await saved(page);
  await expect(page.getByTestId('marker')).toHaveCount(1);
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('marker')).toHaveCount(2);
});
