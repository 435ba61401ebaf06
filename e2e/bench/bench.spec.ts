// The interface's figures, measured in the real browser. Enters them, never judges.
import { expect, test, type Browser, type Page } from '@playwright/test';
import { addItem, dragOn, onScreen, openDemo, saved, shotOf } from '../help';
import { measured, ms, quantile } from './figures';

/** Goes to a frame and resolves when its pictures are on the canvas and painted. */
async function timeTo(page: Page, f: number): Promise<number> {
  return page.evaluate(async (f) => {
    const pane = document.querySelector('[data-testid=picture]') as HTMLElement;
    const field = document.getElementById('goto') as HTMLInputElement;
    field.value = String(f);
    field.dispatchEvent(new Event('input', { bubbles: true }));
    const from = performance.now();
    field.form!.requestSubmit();
    await new Promise<void>((done) => {
      const look = () =>
        pane.dataset.shown?.startsWith(`${f}:`) ? requestAnimationFrame(() => done()) : setTimeout(look, 1);
      look();
    });
    return performance.now() - from;
  }, f);
}

/** Selects an item of the shot. */
const select = (page: Page, name: string) =>
  page
    .getByRole('navigation', { name: 'Items of this shot' })
    .getByRole('button', { name: new RegExp(`^${name}`) })
    .click();

test('random frames, dragging, playing', async ({ page }) => {
  await openDemo(page, 'Crane and crate'); // no cover yet
  const random: number[] = [];
  let f = 17;
  for (let i = 0; i < 60; i++) {
    f = (f * 73 + 41) % 200;
    random.push(await timeTo(page, f));
    await page.waitForTimeout(60);
  }
  measured('random frame on screen, 720p, no cover', 'p95 60 ms', ms(random));

  await openDemo(page, 'Cargo trike on the quay');
  const stepped: number[] = [];
  await timeTo(page, 19); // from a frame that is looked at
  await page.waitForTimeout(1500);
  for (let i = 20; i < 80; i++) {
    stepped.push(await timeTo(page, i));
    await page.waitForTimeout(30);
  }
  measured('step by one frame to treated pixels, 720p, one cover', 'p95 40 ms', ms(stepped));
  const covered: number[] = [];
  for (let i = 0; i < 40; i++) {
    f = (f * 73 + 41) % 200;
    covered.push(await timeTo(page, f));
    await page.waitForTimeout(60);
  }
  measured('random frame to treated pixels, 720p, one cover', 'p95 80 ms', ms(covered));

  // Dragging: from the pointer's move to the patch drawn for it.
  await timeTo(page, 150);
  await page.evaluate(() => performance.clearMeasures());
  const cover = (await page.getByTestId('selected-cover').boundingBox())!;
  const at = { x: cover.x + cover.width / 2, y: cover.y + cover.height / 2 };
  await page.mouse.move(at.x, at.y);
  await page.mouse.down();
  for (let i = 1; i <= 60; i++) {
    await page.mouse.move(at.x + 30 * Math.sin(i / 8), at.y + 20 * Math.sin(i / 5));
    await page.waitForTimeout(90);
  }
  await page.mouse.up();
  await saved(page);
  const drags = await page.evaluate(() =>
    performance.getEntriesByName('celator drag to pixels').map((e) => e.duration),
  );
  measured('drag to treated pixels, 720p, mosaic of about 170x70', 'p95 40 ms', ms(drags));
  await page.keyboard.press('Control+z');
  await saved(page);

  // Playing with two covers.
  await addItem(page, 'Second');
  await dragOn(page, 200, 100, 400, 220);
  await select(page, 'Quay plate');
  await page.keyboard.press('Home');
  for (const [round, pause] of [
    ['half a second after an edit', 500],
    ['ten seconds after an edit', 10_000],
    ['again', 500],
  ] as const) {
    if (round.startsWith('ten')) {
      await select(page, 'Second');
      await page.keyboard.press('Alt+ArrowRight');
      await saved(page);
    }
    await page.keyboard.press('Home');
    await page.waitForTimeout(pause);
    await page.keyboard.press('Space');
    await page.waitForTimeout(8500);
    await page.keyboard.press('Space');
    const r = await page.evaluate(() => {
      const { played, dropped } = (performance.getEntriesByName('celator play').at(-1) as PerformanceMark).detail;
      return [played, dropped] as [number, number];
    });
    measured(
      `playing at 25 frames a second, 720p, two covers, ${round}`,
      '2 % dropped',
      `${r[1]} of ${r[0]} frames dropped (${((100 * r[1]) / r[0]).toFixed(1)} %)`,
    );
  }
  expect(await onScreen(page, 0, 0)).toBeTruthy();
});

test('stepping in a master', async ({ page }) => {
  await openDemo(page, 'Harbour festival master');
  await addItem(page, 'Sign');
  await dragOn(page, 700, 400, 1000, 520);
  await saved(page);
  const steps = async (from: number, n: number, stride: (i: number) => number, pause: number) => {
    const out: number[] = [];
    await timeTo(page, from);
    await page.waitForTimeout(1500);
    for (let i = 1; i <= n; i++) {
      out.push(await timeTo(page, from + stride(i)));
      await page.waitForTimeout(pause);
    }
    return out;
  };
  const [first, last] = [200, 1200];
  measured(
    'step by one frame to treated pixels, in a master of 1080p',
    'p95 80 ms',
    ms(await steps(600, 60, (i) => i, 30)),
  );
  measured('the same, backwards', 'p95 80 ms', ms(await steps(900, 60, (i) => -i, 30)));
  measured(
    'random frame to treated pixels, in a master of 1080p',
    '',
    ms(await steps(first, 40, (i) => (i * 7919) % (last - first), 60)),
  );
});

/** The longest scripting between two frames, and its 95th percentile, of what runs while f does. */
async function scripting(
  browser: Browser,
  page: Page,
  f: () => Promise<void>,
): Promise<{ worst: number; p95: number; frames: number }> {
  await browser.startTracing(page, { categories: ['devtools.timeline', 'toplevel'] });
  await f();
  const trace = JSON.parse((await browser.stopTracing()).toString()) as {
    traceEvents: { name: string; ph: string; ts: number; dur?: number; tid: number; pid: number }[];
  };
  const events = trace.traceEvents;
  // The page's main thread is the one that fires animation frames.
  const beat = events.filter((e) => e.name === 'FireAnimationFrame' || e.name === 'EventDispatch');
  const main = beat[0]!;
  const script = events
    .filter(
      (e) =>
        e.ph === 'X' &&
        e.pid === main.pid &&
        e.tid === main.tid &&
        [
          'FunctionCall',
          'EventDispatch',
          'FireAnimationFrame',
          'TimerFire',
          'RunMicrotasks',
          'EvaluateScript',
          'MajorGC',
          'MinorGC',
        ].includes(e.name),
    )
    .sort((a, b) => a.ts - b.ts);
  const frames = events
    .filter((e) => e.name === 'Layerize' && e.pid === main.pid && e.tid === main.tid)
    .map((e) => e.ts)
    .sort((a, b) => a - b);
  const spent = new Array(frames.length).fill(0) as number[];
  let end = 0; // nested calls count once
  for (const e of script) {
    const from = Math.max(e.ts, end);
    const to = e.ts + (e.dur ?? 0);
    if (to <= from) continue;
    end = to;
    const i = frames.findLastIndex((t) => t <= from);
    if (i >= 0) spent[i]! += (to - from) / 1000;
  }
  return { worst: Math.max(...spent), p95: quantile(spent, 0.95), frames: frames.length };
}

test('a path of 40 knots is dragged', async ({ page, browser }) => {
  await openDemo(page, 'Crane and crate');
  await addItem(page, 'Path');
  const shot = await shotOf(page);
  const item = shot.items.find((i: any) => i.name === 'Path').id;
  const knots = Array.from({ length: 40 }, (_, i) => {
    const [s, c] = [Math.sin((i * Math.PI) / 20), Math.cos((i * Math.PI) / 20)];
    return {
      p: { x: 500 + (i % 2 ? 90 : 120) * c, y: 300 + (i % 2 ? 90 : 120) * s },
      in: { x: 8 * s, y: -8 * c },
      out: { x: -8 * s, y: 8 * c },
    };
  });
  await page.request.post(`/api/shots/${shot.id}/edits`, {
    data: {
      base: shot.revision.number,
      commands: [
        {
          do: 'add',
          new: {
            id: 'forty',
            item,
            name: 'Path',
            span: { first: 0, last: shot.frames - 1 },
            outlines: [{ id: 'o1', shape: 'path', keys: [{ frame: 0, knots }] }],
            motion: { pivot: { x: 500, y: 300 }, keys: [] },
            grow: 0,
            soften: { across: 4, down: 4 },
            treatments: [{ id: 't', kind: 'blur', strength: 1, sigma: { across: 12, down: 12 } }],
          },
        },
      ],
    },
  });
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('selected-cover')).toHaveCount(1);
  for (const [what, x, y] of [
    ['the whole path', 500, 300],
    ['one knot', 620, 300],
  ] as const) {
    const at = await onScreen(page, x, y);
    const r = await scripting(browser, page, async () => {
      await page.mouse.move(at.x, at.y);
      await page.mouse.down();
      for (let i = 1; i <= 90; i++) {
        await page.mouse.move(at.x + 30 * Math.sin(i / 8), at.y + 20 * Math.sin(i / 5));
        await page.waitForTimeout(16);
      }
      await page.mouse.up();
    });
    await saved(page);
    await page.keyboard.press('Control+z');
    await saved(page);
    measured(
      `dragging a path of 40 knots, ${what}: scripting a frame`,
      'worst 33 ms',
      `p95 ${r.p95.toFixed(1)} ms, worst ${r.worst.toFixed(1)} ms (${r.frames} frames)`,
    );
  }
  await page.keyboard.press('Control+z');
  await saved(page);
});

test('a shot with 30 covers of 50 keys', async ({ page, request }) => {
  const { id: programme } = await (await request.post('/api/programmes', { data: { name: 'Thirty' } })).json();
  await request.post(`/api/programmes/${programme}/sources`, { data: { media: 'tidewrack-week/quay-trike/clip.mp4' } });
  let shot: any;
  await expect
    .poll(
      async () => {
        const v = await (await request.get(`/api/programmes/${programme}`)).json();
        shot = v.shots[0];
        return v.sources[0].state;
      },
      { timeout: 60_000 },
    )
    .toBe('ready');
  const covers = [];
  for (let i = 0; i < 30; i++) {
    const item = await (
      await request.post(`/api/shots/${shot.id}/items`, { data: { name: `Item ${i + 1}`, kind: 'sign' } })
    ).json();
    const [x, y] = [60 + (i % 6) * 200, 60 + Math.floor(i / 6) * 130];
    const box = [
      [x, y],
      [x + 100, y],
      [x + 100, y + 60],
      [x, y + 60],
    ].map(([x, y]) => ({ p: { x, y } }));
    covers.push({
      id: `c${i}`,
      item: item.id,
      name: `Item ${i + 1}`,
      span: { first: 0, last: 199 },
      outlines: [{ id: 'o1', shape: 'box', keys: [{ frame: 0, knots: box }] }],
      motion: {
        pivot: { x: x + 50, y: y + 30 },
        keys: Array.from({ length: 50 }, (_, k) => ({
          frame: 4 * k,
          move: { x: 10 * Math.sin(k + i), y: 8 * Math.cos(k) },
          turn: k % 7,
          size: { x: 1 + 0.01 * k, y: 1 },
        })),
      },
      grow: 0,
      soften: { across: 4, down: 4 },
      treatments: [
        {
          id: 't',
          kind: ['blur', 'mosaic', 'fill'][i % 3],
          strength: 1,
          ...[{ sigma: { across: 12, down: 12 } }, { cell: { across: 16, down: 16 } }, { colour: '#808080' }][i % 3],
        },
      ],
    });
  }
  const r = await request.put(`/api/shots/${shot.id}/document`, {
    data: { base: 0, document: { version: 1, width: 1280, height: 720, frames: 200, covers } },
  });
  expect(r.ok(), await r.text()).toBe(true);
  const opened: number[] = [];
  for (let i = 0; i < 5; i++) {
    await page.goto('about:blank');
    const from = Date.now();
    await page.goto(`/shots/${shot.id}`);
    await page.waitForSelector('[data-testid=picture][data-shown*=":"]');
    opened.push(Date.now() - from);
  }
  measured('a shot with 30 covers of 50 keys opens, to its treated first frame', '0.8, worst 1.5 s', ms(opened));
  const stepped: number[] = [];
  await timeTo(page, 19); // from a frame that is looked at
  await page.waitForTimeout(1500);
  for (let i = 20; i < 80; i++) {
    stepped.push(await timeTo(page, i));
    await page.waitForTimeout(100);
  }
  measured('and steps by one frame to treated pixels', 'p95 120 ms', ms(stepped));
});
