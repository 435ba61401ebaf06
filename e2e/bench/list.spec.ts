import { expect, test } from '@playwright/test';
import { clip, newProgramme } from '../help';
import { measured, ms } from './figures';

/** A list of so many items in so many shots, as CSV lines. */
function listOf(items: number, shots: number): string[] {
  const kinds = ['plate', 'logo', 'sign', 'number', 'text'];
  const lines = ['name,kind,description,reason,requested by,due,source,in,out,assigned to'];
  for (let i = 0; i < items; i++)
    lines.push(
      [
        `Item ${i}`,
        kinds[i % 5],
        `On the ${i % 2 ? 'left' : 'right'}`,
        'Not agreed',
        'Legal',
        `2026-12-${String(1 + (i % 28)).padStart(2, '0')}`,
        'long.mp4',
        2 * (i % shots),
        2 * (i % shots) + 1,
        ['Ada', 'Bo', 'Cy'][i % 3],
      ].join(','),
    );
  return lines;
}

test('a list of 2,000 items in 500 shots', async ({ page }) => {
  test.setTimeout(300_000);
  const id = await newProgramme(page, 'Long list');
  const path = clip(
    'long.mp4',
    '-f',
    'lavfi',
    '-i',
    'testsrc2=size=320x180:rate=25:duration=42',
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    '-pix_fmt',
    'yuv420p',
    '-g',
    '25',
  );
  await page.getByTestId('upload').setInputFiles(path);
  await expect(page.getByTestId('shot')).toHaveCount(1, { timeout: 60_000 });
  await expect(page.getByTestId('shot').locator('progress')).toHaveCount(0, { timeout: 60_000 });
  const programme = await (await page.request.get(`/api/programmes/${id}`)).json();
  const source = programme.sources[0].id;
  const boundaries = Array.from({ length: 499 }, (_, i) => ({
    frame: 2 * (i + 1),
    from: 2 * (i + 1),
    dissolve: false,
  }));
  expect(
    (await page.request.post(`/api/sources/${source}/shots`, { data: { boundaries }, timeout: 60_000 })).status(),
  ).toBe(201);
  const lines = listOf(2000, 500);
  let at = Date.now();
  const r = await page.request.post(`/api/programmes/${id}/import`, {
    data: { csv: lines.join('\n'), by: 'Bench', do: true },
    timeout: 120_000,
  });
  expect((await r.json()).new).toBe(2000);
  measured('importing a list of 2,000 items', '', `${((Date.now() - at) / 1000).toFixed(1)} s`);

  const loads: number[] = [];
  for (let k = 0; k < 5; k++) {
    await page.goto('/');
    at = Date.now();
    await page.goto(`/programmes/${id}`);
    await expect(page.getByTestId('row').first()).toBeVisible();
    await expect(page.getByTestId('shown')).toHaveText('2000 of 2000');
    loads.push(Date.now() - at);
  }
  // From the key to the painted rows, inside the page.
  const filter = async (query: string) =>
    page.evaluate(async (q) => {
      const box = document.querySelector<HTMLInputElement>('input[type=search]')!;
      const begun = performance.now();
      box.value = q;
      box.dispatchEvent(new Event('input', { bubbles: true }));
      await new Promise((done) => requestAnimationFrame(() => setTimeout(done)));
      return performance.now() - begun;
    }, query);
  const filters: number[] = [];
  for (const q of ['left', 'item 1', 'item 19', 'legal right', 'nothing like it', '']) filters.push(await filter(q));
  measured('a page of 2,000 items in 500 shots, until its rows are there', 'worst 1000 ms', ms(loads));
  measured('filtering them, from the key to the painted rows', 'worst 100 ms', ms(filters));
});
