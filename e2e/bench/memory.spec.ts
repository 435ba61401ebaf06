// What a long master takes of the browser's memory, beside a minute of the same pictures.
import { execFileSync } from 'node:child_process';
import { readFileSync, readdirSync, rmSync } from 'node:fs';
import { expect, test, type Browser } from '@playwright/test';
import { measured } from './figures';

const long = '../.run/media/two-hours.mp4';
const short = '../.run/media/a-minute.mp4';
const seconds: Record<string, number> = { [long]: 7200, [short]: 60 };

test.afterAll(() => [long, short].forEach((f) => rmSync(f, { force: true })));

/** The browser's own share of memory, all its processes together, MB (PSS). */
function share(): number {
  let kB = 0;
  for (const pid of readdirSync('/proc').filter((d) => /^\d+$/.test(d)))
    try {
      if (!readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('chromium')) continue;
      kB += Number(/^Pss:\s+(\d+)/m.exec(readFileSync(`/proc/${pid}/smaps_rollup`, 'utf8'))?.[1] ?? 0);
    } catch {
      // It ended meanwhile.
    }
  return kB / 1000;
}

/** Brings a file in, looks all over it, and says what the browser then takes, and its script. */
async function looked(browser: Browser, file: string): Promise<[all: number, script: number]> {
  const page = await browser.newPage();
  const send = async (method: 'post' | 'get', path: string, data?: unknown) => {
    const r = await page.request[method](path, { data });
    expect(r.ok(), `${path}: ${r.status()}`).toBe(true);
    return r.json();
  };
  const programme = await send('post', '/api/programmes', { name: `Memory ${Math.random()}` });
  await send('post', `/api/programmes/${programme.id}/sources`, { media: file.split('/').pop() });
  const now = () => send('get', `/api/programmes/${programme.id}`);
  await expect.poll(async () => (await now()).sources[0].state, { timeout: 1_500_000 }).toBe('ready');
  const shot = (await now()).shots[0];
  expect(shot.frames).toBe(25 * seconds[file]!);
  await page.goto(`/sources/${shot.source}`);
  await page.goto(`/shots/${shot.id}`);
  const pane = page.getByTestId('picture');
  await expect(pane).toHaveAttribute('data-shown', /:/);
  for (let i = 1; i <= 200; i++) {
    const f = (i * 7919) % shot.frames;
    await page.locator('#goto').fill(String(f));
    await page.locator('#goto').press('Enter');
    await expect(pane).toHaveAttribute('data-shown', new RegExp(`^${f}:`));
  }
  await page.keyboard.press('Space');
  await page.waitForTimeout(20_000);
  await page.keyboard.press('Space');
  const cdp = await page.context().newCDPSession(page);
  await cdp.send('HeapProfiler.collectGarbage');
  const { usedSize } = await cdp.send('Runtime.getHeapUsage');
  const all = share();
  await page.close();
  return [all, usedSize / 1e6];
}

test('memory of the browser in a master of two hours', async ({ browser }) => {
  test.setTimeout(1_800_000);
  for (const file of [short, long]) {
    const source = `testsrc2=size=320x180:rate=25:duration=${seconds[file]}`;
    const coder = ['-c:v', 'libx264', '-preset', 'ultrafast', '-g', '50', '-crf', '30', '-pix_fmt', 'yuv420p'];
    execFileSync('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', source, ...coder, file]);
  }
  const [all, script] = await looked(browser, short);
  const [allOfLong, scriptOfLong] = await looked(browser, long);
  const mb = (n: number) => `${n.toFixed(0)} MB`;
  measured(
    'memory of the browser (of it script), after 200 jumps and 20 s of playing in two hours of 320x180',
    'as for a minute',
    `${mb(allOfLong)} (${mb(scriptOfLong)}); a minute of the same: ${mb(all)} (${mb(script)})`,
  );
});
