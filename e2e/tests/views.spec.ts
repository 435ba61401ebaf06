// Every view: no accessibility faults, and the bench plays and answers its keys.
import { expect, test } from '@playwright/test';
import {
  accessible,
  dragOn,
  frame as frameOf,
  newProgramme,
  openFootage,
  saved,
  selectedThroughout,
  patience,
} from '../help';

test('views pass the accessibility check at both sizes, dark and light', async ({ page }) => {
  await newProgramme(page, 'Seen by all');
  await page.getByRole('button', { name: 'From the media folder' }).click();
  await expect(page.getByTestId('media')).toBeVisible();
  await accessible(page, 'media folder');
  await openFootage(page, 'quay-trike', 'Trike plate');
  const shot = page.url();
  const { programme, source } = await (await page.request.get(`/api${new URL(shot).pathname}`)).json();
  const theme = () => page.evaluate(() => document.documentElement.dataset.theme);
  for (const [width, height] of [
    [1280, 800],
    [1920, 1080],
  ] as const) {
    await page.setViewportSize({ width, height });
    const views = {
      '/': page.getByRole('link', { name: 'Seen by all' }).first(),
      [`/programmes/${programme}`]: page.getByText('Trike plate').first(),
      [`/sources/${source}`]: page.getByText('H.264').or(page.getByText('h264')).first(),
      [`/review/${programme}`]: page.getByText('Nothing is ready for review'),
      [shot]: page.locator('[data-testid=picture][data-shown*=":"]'),
    };
    for (const [path, there] of Object.entries(views)) {
      await page.goto(path);
      await expect(there).toBeVisible();
      await expect(page.getByRole('button', { name: /^(Dark|Light) look$/ })).toBeVisible();
      for (const way of width === 1280 ? ['before', 'after'] : ['before']) {
        // size changes no colour
        const where = `${path} ${width} ${await theme()}`;
        if (path !== shot) {
          await accessible(page, where);
        } else {
          for (const step of width === 1280 ? ['Outline', 'Follow', 'Hold out', 'Conceal', 'Check'] : ['Outline']) {
            await page.getByRole('tab', { name: step }).click();
            await accessible(page, `${where} ${step}`);
          }
          await page.getByRole('button', { name: 'Deliver', exact: true }).click();
          await accessible(page, `${where} Deliver`);
          await page.keyboard.press('Escape');
        }
        if (way === 'before') {
          const was = await theme();
          await page.getByRole('button', { name: /^(Dark|Light) look$/ }).click();
          expect(await theme()).not.toBe(was);
        }
      }
      // It is remembered for pages of the kind, and only there.
      const now = await theme();
      await page.reload();
      await expect.poll(theme).toBe(now);
      await page.getByRole('button', { name: /^(Dark|Light) look$/ }).click();
    }
  }
});

test('the bench plays, and every action is in the list', async ({ page }) => {
  await openFootage(page, 'quay-trike', 'Trike plate');
  const frame = () => frameOf(page);
  await page.keyboard.press('Space');
  await expect.poll(frame, { timeout: patience }).toBeGreaterThan(20);
  await page.keyboard.press('Space');
  const stopped = await frame();
  await page.keyboard.press('ArrowRight');
  expect(await frame()).toBe(stopped + 1);
  await page.keyboard.press('Shift+ArrowLeft');
  expect(await frame()).toBe(stopped - 9);
  await page.keyboard.press('j');
  await expect.poll(frame).toBeLessThan(stopped - 12);
  await page.keyboard.press('k');
  await page.keyboard.press('?');
  const keys = await page.getByRole('dialog', { name: 'All actions and keys' }).locator('kbd').allTextContents();
  expect(keys.length).toBeGreaterThan(80);
  expect(
    keys.filter((k, i) => keys.indexOf(k) !== i),
    'one key does one thing',
  ).toEqual([]);
  await page.getByLabel('Search the actions').fill('last frame');
  await page.getByRole('button', { name: 'Last frame End' }).click();
  expect(await frame()).toBe(199);
  await page.keyboard.press('2');
  const box = (await page.locator('canvas[data-main]').boundingBox())!;
  expect(box.width).toBe(2560);
});

test('review is held in the hand: what is touched is large enough, lying and upright', async ({ page, browser }) => {
  await openFootage(page, 'chandlers-sign', 'Sign');
  const shot = page.url().split('/').pop()!.split('?')[0]!;
  const { programme, items } = await (await page.request.get(`/api/shots/${shot}`)).json();
  const ready = { state: 'ready', by: 'Editor' };
  const r = await page.request.post(`/api/shots/${shot}/items/${items[0].id}/decisions`, { data: ready });
  expect(r.ok()).toBe(true);
  for (const viewport of [
    { width: 1180, height: 820 },
    { width: 820, height: 1180 },
  ]) {
    const tablet = await browser.newContext({ viewport, hasTouch: true, isMobile: true });
    const held = await tablet.newPage();
    await held.goto(`/review/${programme}`);
    await held.getByTestId('to-review').tap();
    await expect(held.getByTestId('review-picture')).toHaveAttribute('data-shown', /concealed$/, { timeout: patience });
    const small = await held.evaluate(() =>
      [...document.querySelectorAll<HTMLElement>('.review button:not(.absolute), .review .input')]
        .filter((e) => e.getClientRects().length > 0 && !e.classList.contains('underline'))
        .map((e) => [e.textContent.trim() || e.getAttribute('aria-label'), e.getBoundingClientRect().height] as const)
        .filter(([, h]) => h < 44),
    );
    expect(small).toEqual([]);
    // All of it is in the window, and most of it is the picture.
    const picture = (await held.getByTestId('review-picture').boundingBox())!;
    expect(picture.width).toBeGreaterThan(0.55 * viewport.width);
    // It plays by itself; a tap stops it.
    const pause = held.getByRole('button', { name: 'Pause', exact: true });
    expect((await pause.boundingBox())!.y + 44).toBeLessThanOrEqual(viewport.height);
    await pause.tap();
    await expect(held.getByRole('button', { name: 'Play', exact: true })).toBeVisible();
    await accessible(held);
    await tablet.close();
  }
});

test('on a screen of 3840 px text grows, the picture does not, and pointers meet what they point at', async ({
  page,
}) => {
  await page.setViewportSize({ width: 3840, height: 2160 });
  await openFootage(page, 'quay-trike', 'Trike plate');
  const track = await page.getByTestId('timeline').evaluate((e) => {
    const { left, bottom, width } = e.getBoundingClientRect();
    return { left, bottom, width };
  });
  await page.mouse.click(track.left + track.width * 0.62, track.bottom - 4);
  expect(await frameOf(page)).toBe(124);
  const tall = (e: Element) => e.getBoundingClientRect().height;
  expect(await page.getByRole('button', { name: 'Deliver', exact: true }).evaluate(tall)).toBeGreaterThan(32);
  // One pixel of the picture for each of the screen, and a cover drawn where the pointer draws.
  await page.keyboard.press('1');
  expect((await page.locator('canvas[data-main]').boundingBox())!.width).toBe(1280);
  await page.keyboard.press('b');
  await dragOn(page, 300, 200, 500, 300);
  await saved(page);
  const now = (await selectedThroughout(page, 125))[124];
  expect([now.centre.x, now.centre.y, now.size.x, now.size.y].map(Math.round)).toEqual([400, 250, 200, 100]);
});
