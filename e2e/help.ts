import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import AxeBuilder from '@axe-core/playwright';
import { expect, type Page } from '@playwright/test';

export const folder = mkdtempSync(join(tmpdir(), 'celator-e2e-'));

/** How long is waited for work of the queue, which takes what a busy machine needs. */
export const patience = 600_000;

/**
 * Fails where the page has a fault of accessibility that axe knows. A page that just changes may
 * have one for a moment, so only what is still there when it is looked at again is a fault.
 */
export async function accessible(page: Page, what = ''): Promise<void> {
  const look = async () => {
    const { violations } = await new AxeBuilder({ page }).analyze();
    return violations.flatMap((v) =>
      v.nodes.map((n) => `${what} ${v.id}: ${n.target.join(' ')} ${n.failureSummary ?? ''}`),
    );
  };
  const first = await look();
  if (first.length === 0) return;
  const again = new Set(await look());
  expect(first.filter((v) => again.has(v))).toEqual([]);
}

/** A clip made by ffmpeg from a test pattern. */
export function clip(name: string, ...args: string[]): string {
  const path = join(folder, name);
  execFileSync('ffmpeg', ['-v', 'error', '-y', ...args, path]);
  return path;
}

/** The clip that the browser tests cover: moving pattern, tone, start timecode. */
export function pattern(name: string): string {
  return clip(
    name,
    '-f',
    'lavfi',
    '-i',
    'testsrc2=size=480x270:rate=25:duration=2.4',
    '-f',
    'lavfi',
    '-i',
    'sine=frequency=440:duration=2.4',
    '-c:v',
    'libx264',
    '-pix_fmt',
    'yuv420p',
    '-g',
    '24',
    '-crf',
    '12',
    '-c:a',
    'aac',
    '-color_primaries',
    'bt709',
    '-color_trc',
    'bt709',
    '-colorspace',
    'bt709',
    '-timecode',
    '10:00:00:00',
  );
}

/** All frames of a clip as planar 4:2:0. */
export function decode(path: string): Buffer {
  return execFileSync(
    'ffmpeg',
    ['-v', 'error', '-i', path, '-f', 'rawvideo', '-pix_fmt', 'yuv420p', '-vsync', 'passthrough', 'pipe:1'],
    { maxBuffer: 1 << 30 },
  );
}

export function probe(path: string): any {
  return JSON.parse(execFileSync('../bin/celator', ['probe', '--json', path]).toString());
}

export async function newProgramme(page: Page, name: string): Promise<string> {
  await page.goto('/');
  await page.getByLabel('Name of a new programme').fill(name);
  await page.getByRole('button', { name: 'Create', exact: true }).click();
  // Another test may have one of that name.
  const heading = page.getByRole('heading', { name });
  const second = page.getByRole('button', { name: 'Create a second one' });
  await expect(heading.or(second)).toBeVisible();
  if (await second.isVisible()) await second.click();
  await expect(heading).toBeVisible();
  return page.url().split('/').pop()!;
}

/** Uploads a clip through the page and opens its shot when it is ready. */
export async function bringIn(page: Page, path: string): Promise<void> {
  await page.getByTestId('upload').setInputFiles(path);
  const shot = page.getByTestId('shot');
  await expect(shot).toHaveCount(1);
  await expect(shot.locator('progress')).toHaveCount(0);
  await shot.getByRole('link').first().click();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /^0:/);
}

/** Where a drawn shot is, with its clip and ground truth. */
export const footage = (name: string) => `../.run/media/tidewrack-week/${name}`;

/** The corners of a drawn shot's surface, frame by frame. */
export function corners(name: string): { x: number; y: number }[][] {
  const rows = readFileSync(`${footage(name)}/truth.csv`, 'utf8')
    .trim()
    .split('\n')
    .slice(1);
  return rows.map((row) => {
    const n = row.split(',').map(Number);
    return [0, 1, 2, 3].map((i) => ({ x: n[1 + 2 * i]!, y: n[2 + 2 * i]! }));
  });
}

/** Makes a programme of one drawn shot and opens it, with its plate as an item and, if wanted, covered. */
export async function openFootage(page: Page, name: string, item: string, covered = true): Promise<void> {
  const send = async (method: 'post' | 'get', path: string, data?: unknown) => {
    const r = await page.request[method](path, { data });
    expect(r.ok(), `${path}: ${r.status()}`).toBe(true);
    return r.json();
  };
  const programme = await send('post', '/api/programmes', { name: `${name} ${Math.random()}` });
  const media = `tidewrack-week/${name}/clip.mp4`;
  await send('post', `/api/programmes/${programme.id}/sources`, { media });
  let shot: any;
  await expect
    .poll(
      async () => {
        const now = await send('get', `/api/programmes/${programme.id}`);
        shot = now.shots[0];
        return now.sources[0].state;
      },
      { timeout: patience },
    )
    .toBe('ready');
  const { id } = await send('post', `/api/shots/${shot.id}/items`, { name: item, kind: 'plate' });
  if (covered) {
    const keys = corners(name).map((quad, f) => ({ frame: f, knots: quad.map((p) => ({ p })) }));
    const cover = {
      id: 'plate',
      item: id,
      name: item,
      span: { first: 0, last: shot.frames - 1 },
      outlines: [{ id: 'o1', shape: 'corners', keys: keys.filter((k) => k.frame % 10 === 0) }],
      motion: { pivot: { x: 0, y: 0 }, keys: [] },
      grow: 4,
      soften: { across: 4, down: 4 },
      treatments: [{ id: 't1', kind: 'mosaic', strength: 1, cell: { across: 24, down: 24 } }],
    };
    await send('post', `/api/shots/${shot.id}/edits`, { base: 0, commands: [{ do: 'add', new: cover }] });
  }
  await page.goto(`/shots/${shot.id}`);
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /:/);
}

/** Opens a shot of the demo programme, where there is one: for the benches. */
export async function openDemo(page: Page, name: string): Promise<void> {
  await page.goto('/');
  await page.getByRole('link', { name: /Tidewrack Week/ }).click();
  const link = page.getByRole('link', { name: `Open ${name}`, exact: true });
  const shot = page.getByTestId('shot').filter({ has: link });
  await expect(shot.locator('progress')).toHaveCount(0, { timeout: patience });
  await link.click();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /:/);
}

/** Enters an item on the bench, and waits until it is in hand with the box. */
export async function addItem(page: Page, name: string, kind?: string): Promise<void> {
  await page.getByRole('button', { name: 'Add an item' }).click();
  await page.getByLabel('Name of the item').fill(name);
  if (kind) await page.getByLabel('Kind').selectOption({ label: kind });
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  const item = page
    .getByRole('navigation', { name: 'Items of this shot' })
    .getByRole('button', { name: new RegExp(`^${name}`) });
  await expect(item).toHaveAttribute('aria-current', 'true');
  await expect(page.getByRole('button', { name: 'Box (B)' })).toHaveAttribute('aria-pressed', 'true');
}

/** The shot on the bench, as the server has it. */
export async function shotOf(page: Page): Promise<any> {
  const id = new URL(page.url()).pathname.split('/').pop()!;
  return (await page.request.get(`/api/shots/${id}`)).json();
}

/** The runs of the shot, the newest first. */
export async function attempts(page: Page): Promise<any[]> {
  const id = new URL(page.url()).pathname.split('/').pop()!;
  return (await page.request.get(`/api/shots/${id}/attempts`)).json();
}

/** Waits until so many runs were made, all have ended and the bench has taken what they found. */
export async function runsEnded(page: Page, n: number, front = false): Promise<void> {
  const ended = ['done', 'stopped', 'failed'];
  await expect
    .poll(
      async () => {
        const all = (await attempts(page)).filter((a) => !!a.foreground === front);
        return all.length === n && all.every((a) => ended.includes(a.state));
      },
      { timeout: patience },
    )
    .toBe(true);
  await expect(page.getByTestId(front ? 'looking' : 'running')).toHaveCount(0);
  await saved(page);
}

/** The number of the frame shown. */
export async function frame(page: Page): Promise<number> {
  return Number((await page.getByTestId('frame').textContent())!.replace(/\D/g, ''));
}

/** Asks the core in the browser (core/session) the same of many things at once. */
export async function coreEach(page: Page, name: string, requests: unknown[]): Promise<any[]> {
  const texts = requests.map((r) => JSON.stringify(r));
  const replies = await page.evaluate(
    ([n, rs]) => (rs as string[]).map((r) => (window as any).celatorCore(n, r) as string),
    [name, texts] as const,
  );
  return replies.map((text) => {
    const reply = JSON.parse(text);
    if (reply.error) throw new Error(reply.error);
    return reply.value;
  });
}

/** Asks it one thing. */
export async function core(page: Page, name: string, request: unknown = {}): Promise<any> {
  return (await coreEach(page, name, [request]))[0];
}

/** The selected cover on frames 0 to n-1. */
export async function selectedThroughout(page: Page, n: number): Promise<any[]> {
  const cover = await page.getByTestId('selected-cover').getAttribute('data-cover');
  return coreEach(
    page,
    'selected',
    Array.from({ length: n }, (_, frame) => ({ cover, frame })),
  );
}

/** The selected cover on the frame shown, or another. */
export async function selected(page: Page, f?: number): Promise<any> {
  const cover = await page.getByTestId('selected-cover').getAttribute('data-cover');
  return core(page, 'selected', { cover, frame: f ?? (await frame(page)) });
}

const sizes = new Map<string, { width: number; height: number }>();
/** The source's size, px. */
export async function size(page: Page): Promise<{ width: number; height: number }> {
  const url = page.url();
  if (!sizes.has(url)) sizes.set(url, (await shotOf(page)).sourceInfo.info);
  return sizes.get(url)!;
}

/** Where a point of the picture, in source pixels, is on the screen. */
export async function onScreen(page: Page, x: number, y: number): Promise<{ x: number; y: number }> {
  const box = (await page.locator('canvas[data-main]').boundingBox())!;
  const { width, height } = await size(page);
  return { x: box.x + (x / width) * box.width, y: box.y + (y / height) * box.height };
}

export async function dragOn(page: Page, x0: number, y0: number, x1: number, y1: number): Promise<void> {
  const a = await onScreen(page, x0, y0);
  const b = await onScreen(page, x1, y1);
  await page.mouse.move(a.x, a.y);
  await page.mouse.down();
  await page.mouse.move((a.x + b.x) / 2, (a.y + b.y) / 2, { steps: 3 });
  await page.mouse.move(b.x, b.y, { steps: 3 });
  await page.mouse.up();
  await saved(page);
}

/** Clicks a point of the picture, in source pixels. */
export async function clickOn(page: Page, x: number, y: number, modifiers: ('Shift' | 'Alt')[] = []): Promise<void> {
  const p = await onScreen(page, x, y);
  for (const m of modifiers) await page.keyboard.down(m);
  await page.mouse.click(p.x, p.y);
  for (const m of modifiers) await page.keyboard.up(m);
}

/** Draws an outline of four corners, clicked, for the item in hand. */
export async function drawCorners(page: Page): Promise<void> {
  await page.keyboard.press('q');
  await clickOn(page, 100, 60);
  await clickOn(page, 180, 70);
  await clickOn(page, 175, 120);
  await clickOn(page, 95, 110);
  await saved(page);
}

export async function saved(page: Page): Promise<void> {
  await expect(page.getByRole('main')).toHaveAttribute('aria-busy', 'false');
}

export async function goTo(page: Page, text: string): Promise<void> {
  await page.keyboard.press('g');
  await page.keyboard.type(text);
  await page.keyboard.press('Enter');
}

export async function document(page: Page): Promise<any> {
  await saved(page);
  return (await shotOf(page)).revision.document;
}

export const bytes = (path: string) => readFileSync(path);

/** Fills the cover in hand with one even grey, code 126 of luma, so that every sample can be told. */
export async function evenFill(page: Page): Promise<void> {
  await page.getByRole('tab', { name: /Conceal/ }).click();
  await page.getByRole('group', { name: 'Treatment' }).getByRole('button', { name: 'Fill' }).click();
  await page.getByLabel('Colour from around').uncheck();
  await page.getByLabel('Grain', { exact: true }).fill('0');
  await page.getByLabel('Grain', { exact: true }).press('Enter');
  await saved(page);
}
