// The interface's figures, measured in the real browser. Prints, never judges.
import { expect, test, type Page } from '@playwright/test';
import { dragOn, onScreen, openDemo, saved } from '../help';

const p = (xs: number[], q: number) => [...xs].sort((a, b) => a - b)[Math.min(Math.floor(xs.length * q), xs.length - 1)]!;
const say = (what: string, xs: number[]) => console.log(`${what}: median ${p(xs, 0.5).toFixed(0)} ms, p95 ${p(xs, 0.95).toFixed(0)} ms, worst ${Math.max(...xs).toFixed(0)} ms (${xs.length} times)`);

/** Goes to a frame and resolves when its pictures are on the canvas and painted. */
async function timeTo(page: Page, f: number): Promise<number> {
  return page.evaluate(async (f) => {
    const b = (window as any).bench;
    const pane = document.querySelector('[data-testid=picture]') as HTMLElement;
    const from = performance.now();
    b.seek(f);
    await new Promise<void>((done) => {
      const look = () => (pane.dataset.shown?.startsWith(`${f}:`) ? requestAnimationFrame(() => done()) : setTimeout(look, 1));
      look();
    });
    return performance.now() - from;
  }, f);
}

test('random frames, dragging, playing', async ({ page }) => {
  await openDemo(page, 'Crane and crate'); // no cover yet
  const random: number[] = [];
  let f = 17;
  for (let i = 0; i < 60; i++) {
    f = (f * 73 + 41) % 200;
    random.push(await timeTo(page, f));
    await page.waitForTimeout(60);
  }
  say('random frame on screen, 720p, no cover', random);

  await openDemo(page, 'Cargo trike on the quay');
  const stepped: number[] = [];
  for (let i = 20; i < 80; i++) {
    stepped.push(await timeTo(page, i));
    await page.waitForTimeout(30);
  }
  say('step by one frame to treated pixels, 720p, one cover', stepped);
  const covered: number[] = [];
  for (let i = 0; i < 40; i++) {
    f = (f * 73 + 41) % 200;
    covered.push(await timeTo(page, f));
    await page.waitForTimeout(60);
  }
  say('random frame to treated pixels, 720p, one cover', covered);

  // Dragging: from the pointer's move to the patch drawn for it.
  await timeTo(page, 150);
  await page.evaluate(() => {
    const b = (window as any).bench;
    (window as any).lags = [];
    const show = b.show.bind(b);
    let asked = 0;
    b.show = (c: unknown) => {
      asked = performance.now();
      show(c);
    };
    let last = b.draft;
    const look = () => {
      if (b.draft && b.draft !== last) {
        last = b.draft;
        (window as any).lags.push(performance.now() - asked);
      }
      requestAnimationFrame(look);
    };
    requestAnimationFrame(look);
  });
  const cover = (await page.getByTestId('cover-in-hand').boundingBox())!;
  const at = { x: cover.x + cover.width / 2, y: cover.y + cover.height / 2 };
  await page.mouse.move(at.x, at.y);
  await page.mouse.down();
  for (let i = 1; i <= 60; i++) {
    await page.mouse.move(at.x + 30 * Math.sin(i / 8), at.y + 20 * Math.sin(i / 5));
    await page.waitForTimeout(90);
  }
  await page.mouse.up();
  await saved(page);
  say('drag to treated pixels, 720p, mosaic of about 170x70', await page.evaluate(() => (window as any).lags));
  await page.keyboard.press('Control+z');
  await saved(page);

  // Playing with two covers.
  await page.getByRole('button', { name: 'Add an item' }).click();
  await page.getByLabel('Name of the item').fill('Second');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await dragOn(page, 200, 100, 400, 220);
  await page.evaluate(() => ((window as any).bench.item = (window as any).bench.items[0].id));
  await page.keyboard.press('Home');
  for (const [round, pause] of [['half a second after an edit', 500], ['ten seconds after an edit', 10_000], ['again', 500]] as const) {
    if (round.startsWith('ten')) {
      await page.evaluate(() => ((window as any).bench.item = (window as any).bench.items[1].id));
      await page.keyboard.press('Alt+ArrowRight');
      await saved(page);
    }
    await page.keyboard.press('Home');
    await page.waitForTimeout(pause);
    const r = await page.evaluate(async () => {
      const b = (window as any).bench;
      b.played = b.dropped = 0;
      b.play(1);
      while (b.played < 190) await new Promise((r) => setTimeout(r, 20));
      const out = [b.played, b.dropped];
      b.play(0);
      return out;
    });
    console.log(`playing at 25 frames a second, 720p, two covers, ${round}: ${r[1]} of ${r[0]} frames dropped (${((100 * r[1]) / r[0]).toFixed(1)} %)`);
  }
  expect(await onScreen(page, 0, 0)).toBeTruthy();
});
