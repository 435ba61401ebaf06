// Largest Contentful Paint of each page, first visits from a browser without a cache.
import { test, type Browser } from '@playwright/test';

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
    console.log(
      `${name}: first visit ${all[0]!.toFixed(0)} ms, then ${all
        .slice(1)
        .map((x) => x.toFixed(0))
        .join(', ')} ms`,
    );
  }
});
