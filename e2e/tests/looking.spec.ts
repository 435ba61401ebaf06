// Ways to look at a shot, and to go about in it.
import { expect, test } from '@playwright/test';
import { frame, goTo, onScreen, openFootage, runsEnded, selected, size } from '../help';

test('the steady view holds the cover still; wipe and side by side show both pictures', async ({ page }) => {
  await openFootage(page, 'quay-trike', 'Trike plate');
  await goTo(page, '40');
  await page.keyboard.press('s');
  const centre = async () => {
    const c = (await selected(page)).centre;
    const p = await onScreen(page, c.x, c.y);
    return [Math.round(p.x), Math.round(p.y)];
  };
  const at = await centre();
  const wide = (await page.locator('canvas[data-main]').boundingBox())!.width;
  expect(wide / (await size(page)).width).toBeGreaterThanOrEqual(2);
  for (let i = 0; i < 30; i++) await page.keyboard.press('ArrowRight');
  expect(await frame(page)).toBe(70);
  const there = await centre();
  expect(Math.hypot(there[0]! - at[0]!, there[1]! - at[1]!)).toBeLessThan(2);
  await page.keyboard.press('s');
  await page.keyboard.press('f');

  // The wipe's two sides, in pixels: clean left of the line, concealed right of it.
  await page.getByLabel('What is shown').selectOption('wipe');
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /^70:\d+:wipe$/);
  const box = (await page.getByTestId('picture').boundingBox())!;
  const region = await selected(page);
  const p = await onScreen(page, region.centre.x, region.centre.y);
  const drag = async (x: number) => {
    const w = (await page.getByTestId('wipe').boundingBox())!;
    await page.mouse.move(w.x + w.width / 2, box.y + 30);
    await page.mouse.down();
    await page.mouse.move(x, box.y + 30, { steps: 3 });
    await page.mouse.up();
  };
  await page.keyboard.press('Shift+x');
  const shot = async () =>
    (await page.screenshot({ clip: { x: p.x - 20, y: p.y - 8, width: 40, height: 16 } })).toString('base64');
  await drag(box.x + box.width - 20);
  const clean = await shot();
  await drag(box.x + 20);
  await expect.poll(shot).not.toBe(clean);
  await page.getByLabel('What is shown').selectOption('clean');
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /clean$/);
  await expect.poll(shot).toBe(clean);
  await page.getByLabel('What is shown').selectOption('side');
  await expect(page.getByTestId('beside').locator('canvas')).toBeVisible();
  await page.keyboard.press('d');
});

test('what may be typed to go somewhere, and ways to play', async ({ page }) => {
  await openFootage(page, 'quay-trike', 'Trike plate');
  // What may be typed to go somewhere.
  await goTo(page, '100');
  for (const [typed, f] of [
    [':07', 107],
    ['+10', 117],
    ['-17', 100],
    ['1:05', 30],
    ['00:00:04:00', 100],
  ] as const) {
    await goTo(page, typed);
    expect(await frame(page), typed).toBe(f);
  }
  await goTo(page, '99:00');
  await expect(page.getByRole('alert')).toBeVisible();
  expect(await frame(page)).toBe(100);
  await page.keyboard.press('Escape');
  await page.keyboard.press('Escape');

  // Around the frame and back; slowly; stopping at the end when not looping.
  await page.keyboard.press('Shift+Space');
  await expect.poll(() => frame(page)).not.toBe(100);
  await page.keyboard.press('k');
  expect(await frame(page)).toBe(100);
  await page.keyboard.press('Shift+l');
  await expect(page.getByTestId('transport')).toHaveAttribute('data-speed', '0.25');
  await page.keyboard.press('k');
  await page.keyboard.press('Shift+k');
  await goTo(page, '190');
  await page.keyboard.press('Space');
  await expect(page.getByTestId('transport')).toHaveAttribute('data-speed', '0');
  expect(await frame(page)).toBe(199);
});

test('the steady strip is enlarged, shown as a difference, and scrubbed', async ({ page }) => {
  await openFootage(page, 'quay-trike', 'Trike plate');
  await page.keyboard.press('v');
  await runsEnded(page, 1);
  const strip = page.getByTestId('strip');
  const cell = strip.getByRole('button', { name: /^Frame 5:/ });
  const before = (await cell.boundingBox())!;
  await page.getByRole('button', { name: 'Larger', exact: true }).click();
  const after = (await cell.boundingBox())!;
  expect(after.width).toBeGreaterThan(1.9 * before.width);
  const pictures = strip.locator('img');
  await expect.poll(() => pictures.first().evaluate((i: HTMLImageElement) => i.naturalWidth)).toBe(3520);
  const plain = await pictures.first().getAttribute('src');
  await page.getByRole('button', { name: 'Difference' }).click();
  await expect(pictures.first()).not.toHaveAttribute('src', plain!);
  // A drag to the left goes on by as many frames as cells went by; a click goes to one.
  await goTo(page, '40');
  const box = (await strip.boundingBox())!;
  await page.mouse.move(box.x + box.width - 100, box.y + 60);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width - 100 - 3 * 176, box.y + 60, { steps: 6 });
  await page.mouse.up();
  await expect(page.getByTestId('frame')).toHaveText('f 43');
  await strip.getByRole('button', { name: /^Frame 44:/ }).click();
  await expect(page.getByTestId('frame')).toHaveText('f 44');
});

test('stills along the timeline show what the shot shows, and go there', async ({ page }) => {
  await openFootage(page, 'quay-trike', 'Trike plate');
  await page.keyboard.press('Alt+s');
  const stills = page.getByTestId('stills').getByRole('button');
  await expect.poll(() => stills.count()).toBeGreaterThan(8);
  const seen = () =>
    stills.evaluateAll((all) => all.every((b) => b.querySelector<HTMLElement>('canvas')!.dataset.ready === 'true'));
  await expect.poll(seen).toBe(true);
  const last = (await stills.last().getAttribute('aria-label'))!;
  await stills.last().click();
  expect(`Go to frame ${await frame(page)}`).toBe(last);
  // They are those of the part that is shown.
  const fewer = await stills.count();
  await page.getByRole('button', { name: 'Timeline larger' }).click();
  await page.getByRole('button', { name: 'Timeline larger' }).click();
  await expect(page.getByTestId('shown-part')).toBeVisible();
  expect(await stills.first().getAttribute('aria-label')).not.toBe('Go to frame 0');
  expect(await stills.count()).toBeLessThanOrEqual(fewer + 2);
  await page.keyboard.press('Alt+s');
  await expect(page.getByTestId('stills')).toHaveCount(0);
});
