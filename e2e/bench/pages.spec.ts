// Largest Contentful Paint of each page, first visits from a browser without a cache.
import { readdirSync, readFileSync } from 'node:fs';
import { gzipSync } from 'node:zlib';
import { test, type Browser } from '@playwright/test';
import { openDemo } from '../help';
import { measured, quantile } from './figures';

/** How long a page may go on painting, ms. */
const settled = 2500;

async function painted(browser: Browser, path: string): Promise<number> {
  const context = await browser.newContext();
  const page = await context.newPage();
  await page.addInitScript(() => {
    const w = window as unknown as { lcp: number };
    w.lcp = 0;
    new PerformanceObserver((l) => l.getEntries().forEach((e) => (w.lcp = e.startTime))).observe({
      type: 'largest-contentful-paint',
      buffered: true,
    });
  });
  await page.goto(path);
  await page.waitForTimeout(settled);
  const ms = await page.evaluate(() => (window as unknown as { lcp: number }).lcp);
  await context.close();
  return ms;
}

test('the largest paint of each page', async ({ browser, request }) => {
  test.setTimeout(240_000);
  const [programme] = await (await request.get('/api/programmes')).json();
  const { shots, sources } = await (await request.get(`/api/programmes/${programme.id}`)).json();
  for (const [name, path] of [
    ['programmes', '/'],
    ['programme', `/programmes/${programme.id}`],
    ['bench', `/shots/${shots[0].id}`],
    ['review', `/review/${programme.id}`],
    ['source', `/sources/${sources[0].id}`],
  ] as const) {
    const all: number[] = [];
    for (let i = 0; i < 3; i++) all.push(await painted(browser, path));
    const [first, ...then] = all.map((x) => x.toFixed(0));
    measured(
      `largest paint: ${name}, by a browser without a cache`,
      '1200 ms',
      `${first} ms, then ${then.join(', ')} ms`,
    );
  }
});

test('what the pages are made of', () => {
  const folder = '../web/dist/app/assets/';
  const sizes = (ending: RegExp) => {
    const all = readdirSync(folder)
      .filter((f) => ending.test(f))
      .map((f) => readFileSync(folder + f));
    const kB = (n: number) => `${Math.round(n / 1000)} kB`;
    const sum = (of: (b: Buffer) => number) => all.reduce((n, b) => n + of(b), 0);
    return `${kB(sum((b) => b.length))}, packed ${kB(sum((b) => gzipSync(b).length))}`;
  };
  measured('script of all pages', '', sizes(/\.js$/));
  measured('style of all pages', '', sizes(/\.css$/));
  measured('the core, as WebAssembly, for the bench', '', sizes(/\.wasm$/));
});

/** Keys and clicks of an hour's work that neither play nor wait for a job. */
const keys = [
  ...['ArrowRight', 'ArrowLeft', 'Shift+ArrowRight', 'Home', 'End', 'ArrowUp', 'ArrowDown'],
  ...['Alt+1', 'Alt+2', 'Alt+3', 'Alt+4', 'Alt+5', 's', 's', 'm', 'm', 'w', 'w', 'h', 'z', '2', 'f'],
  ...['b', 'Escape', 'q', 'Escape', 'i', 'Control+z', 'o', 'Control+z', 'Alt+ArrowRight', 'Control+z'],
  ...['Alt+s', 'Alt+s', '0', '0', '?', 'Escape', 'Shift+d', 'Escape'],
];

test('interactions, from the key to the next paint', async ({ page }) => {
  test.setTimeout(240_000);
  await openDemo(page, "Chandler's sign and pallet");
  await page.evaluate(() => {
    const w = window as unknown as { took: Map<number, number> };
    w.took = new Map();
    // A frame is painted all the time: an event that changes nothing would else be told to have
    // taken until something else did.
    const dot = document.body.appendChild(document.createElement('i'));
    dot.style.cssText = 'position:fixed;left:0;top:0;width:1px;height:1px;background:#888';
    const blink = (t: number) => {
      dot.style.opacity = String(0.5 + 0.4 * Math.sin(t));
      requestAnimationFrame(blink);
    };
    requestAnimationFrame(blink);
    new PerformanceObserver((l) => {
      for (const e of l.getEntries() as (PerformanceEventTiming & { interactionId: number })[])
        if (e.interactionId) w.took.set(e.interactionId, Math.max(w.took.get(e.interactionId) ?? 0, e.duration));
    }).observe({ type: 'event', durationThreshold: 16 } as PerformanceObserverInit);
  });
  let n = 0;
  for (let round = 0; round < 3; round++)
    for (const key of keys) {
      await page.keyboard.press(key);
      n++;
      await page.waitForTimeout(250);
    }
  const took = await page.evaluate(() => [...(window as unknown as { took: Map<number, number> }).took.values()]);
  const all = [...took, ...Array<number>(Math.max(n - took.length, 0)).fill(16)]; // what took less is not told
  measured(
    'an interaction on the bench, from the key to the next paint',
    'p95 100 ms',
    `p95 ${quantile(all, 0.95)} ms, worst ${Math.max(...all)} ms (${n} keys; told in steps of 8 ms)`,
  );
});
