// A moving plate outlined and keyed by hand.
import { expect, test } from '@playwright/test';
import { corners, document, dragOn, frame, openFootage, selectedThroughout } from '../help';

test('a plate is outlined and keyed by hand in at most 25 actions', async ({ page }) => {
  const truth = corners('quay-trike');
  const plate = (f: number) => truth[f]!;
  const around = (f: number, by: number) => {
    const c = plate(f);
    return [
      Math.min(...c.map((p) => p.x)) - by,
      Math.min(...c.map((p) => p.y)) - by,
      Math.max(...c.map((p) => p.x)) + by,
      Math.max(...c.map((p) => p.y)) + by,
    ] as const;
  };
  await openFootage(page, 'quay-trike', 'Trike plate', false);
  let actions = 0;
  const press = async (k: string) => (actions++, await page.keyboard.press(k));
  // The editor draws a little more than the plate: what the camera shakes is inside.
  const fit = async () => {
    const [x0, y0, x1, y1] = around(await frame(page), 8);
    actions++;
    await dragOn(page, x0, y0, x1, y1);
  };
  await press('b');
  await fit();
  await press('Enter');
  await press('b');
  await fit();
  // By halves first; then where it is seen to slip most.
  const slips = (h: any, f: number) =>
    Math.max(
      ...plate(f).flatMap((p) => [
        Math.abs(p.x - h.centre.x) - h.size.x / 2,
        Math.abs(p.y - h.centre.y) - h.size.y / 2,
      ]),
    );
  for (let n = 0; actions + 2 <= 25; n++) {
    if (n < 2) {
      await press('Enter');
    } else {
      let worst = { f: 0, by: -Infinity };
      for (const [f, h] of (await selectedThroughout(page, truth.length)).entries()) {
        const by = slips(h, f);
        if (by > worst.by) worst = { f, by };
      }
      if (worst.by <= 0) break;
      const t = (await page.getByTestId('timeline').boundingBox())!;
      actions++;
      await page.mouse.click(t.x + ((worst.f + 0.5) / truth.length) * t.width, t.y + 6);
    }
    await fit();
  }
  expect(actions).toBeLessThanOrEqual(25);
  const keys = (await document(page)).covers[0].motion.keys.length;
  let bare = 0;
  let area = 0;
  for (const [f, h] of (await selectedThroughout(page, truth.length)).entries()) {
    if (slips(h, f) > 0) bare++;
    const [x0, y0, x1, y1] = around(f, 0);
    area += (h.size.x * h.size.y) / ((x1 - x0) * (y1 - y0)) / truth.length;
  }
  console.log(
    `${actions} actions, ${keys} keys: ${bare} of ${truth.length} frames bare,`,
    `the cover ${area.toFixed(2)} times the plate's box`,
  );
  expect(bare).toBe(0);
  expect(area).toBeLessThan(2);
  // What was looked at is kept.
  await page.getByRole('tab', { name: /Follow/ }).click();
  const kept = page.waitForResponse((r) => r.url().endsWith('/looks') && r.request().method() === 'POST');
  await page.keyboard.press('Enter');
  await kept;
  const words = await page.getByTestId('looked').textContent();
  await page.reload();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /:/);
  await page.getByRole('tab', { name: /Follow/ }).click();
  await expect(page.getByTestId('looked')).toHaveText(words!);
  expect(words).not.toMatch(/change: [01] of/);
});
