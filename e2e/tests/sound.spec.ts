// Sound: heard with the pictures, and hidden in passages.
import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';
import { addItem, bringIn, clip, document, dragOn, evenFill, frame, newProgramme, patience } from '../help';

const rate = 48000;
const fps = 25;

/** Six seconds of a picture, with a stereo track and a mono one whose loudness rises. */
const talking = () =>
  clip(
    'talking.mov',
    ...['-f', 'lavfi', '-i', 'testsrc2=size=320x180:rate=25:duration=6'],
    ...['-f', 'lavfi', '-i', `aevalsrc=0.4*sin(900*t+60*t*t)|0.3*sin(1300*t):s=${rate}:d=6`],
    ...['-f', 'lavfi', '-i', `aevalsrc=0.1*t*sin(1100*t):s=${rate}:d=6`],
    ...['-map', '0', '-map', '1', '-map', '2', '-c:v', 'libx264', '-pix_fmt', 'yuv420p', '-c:a', 'pcm_s16le'],
  );

/** The samples of one side of a wave file. */
function samples(wave: Buffer, side: 0 | 1): number[] {
  const out: number[] = [];
  for (let i = 44 + 2 * side; i + 1 < wave.length; i += 4) out.push(wave.readInt16LE(i));
  return out;
}
const shot = (page: Page) => /shots\/([^/?]+)/.exec(page.url())![1]!;
async function heard(page: Page, more = ''): Promise<number[]> {
  const head = await page.evaluate(
    async (id) => (await (await fetch(`/api/shots/${id}`)).json()).revision.number,
    shot(page),
  );
  const r = await page.request.get(`/api/shots/${shot(page)}/sound/${head}?from=0&seconds=6${more}`);
  expect(r.ok()).toBe(true);
  return samples(await r.body(), 0);
}

test('sound plays with the pictures, at every speed and backwards', async ({ page }) => {
  const source = talking();
  await newProgramme(page, 'Sound');
  await bringIn(page, source);
  const transport = page.getByTestId('transport');
  const lag = async () => Math.abs(Number((await transport.getAttribute('data-lag')) ?? 1e6));
  for (const [keys, speed] of [
    [['Space'], '1'],
    [['l'], '2'],
    [['j'], '-1'],
    [['Shift+L'], '0.25'],
  ] as const) {
    for (const key of keys) await page.keyboard.press(key);
    await expect(transport).toHaveAttribute('data-speed', speed);
    // After it began, and was set right where it had to be, sound and picture are one.
    await expect.poll(lag, { timeout: patience, intervals: [50] }).toBeLessThan(70);
  }
  await page.keyboard.press('k');
  await expect(transport).not.toHaveAttribute('data-lag');
  await page.keyboard.press('Alt+Space');
  await page.keyboard.press('Space');
  await expect(transport).toHaveAttribute('data-speed', '1');
  await expect.poll(() => frame(page)).toBeGreaterThan(20);
  await expect(transport).not.toHaveAttribute('data-lag');
  await page.keyboard.press('k');
  await page.getByRole('button', { name: /^Sound on/ }).click();
});

test('something said is hidden by a passage, and delivered so', async ({ page }) => {
  const source = talking();
  await newProgramme(page, 'Something said');
  await bringIn(page, source);
  await addItem(page, 'Board');
  await dragOn(page, 40, 40, 120, 90);
  await evenFill(page);

  // An item that is said begins with a passage around the frame shown.
  for (let i = 0; i < 4; i++) await page.keyboard.press('Shift+ArrowRight');
  await page.getByRole('button', { name: /Add an item/ }).click();
  await page.getByLabel('Name of the item').fill('Surname');
  await page.getByLabel('Kind').selectOption('speech');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  const card = page.getByRole('complementary', { name: 'Step card' });
  await expect(card.getByRole('heading', { name: 'Passage of sound' })).toBeVisible();
  const passage = async (i = 0) => (await document(page)).passages[i];
  await expect.poll(passage).toMatchObject({ name: 'Surname', from: 27.5, to: 52.5, how: 'mute' });

  // Its ends: typed, at the frame shown, dragged.
  await card.getByLabel('Begins').fill('30');
  await card.getByLabel('Begins').press('Enter');
  await expect.poll(async () => (await passage()).from).toBe(30);
  for (let i = 0; i < 4; i++) await page.keyboard.press('ArrowRight');
  await page.keyboard.press('o');
  await expect.poll(async () => (await passage()).to).toBe(45);
  const edge = (await page.getByTestId('passage-to').boundingBox())!;
  const row = (await page.getByTestId('sound').boundingBox())!;
  await page.mouse.move(edge.x + 4, edge.y + 10);
  await page.mouse.down();
  await page.mouse.move(row.x + (row.width * 50) / 150, edge.y + 10, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => Math.abs((await passage()).to - 50)).toBeLessThan(0.6);
  await card.getByLabel('Ends').fill('50');
  await card.getByLabel('Ends').press('Enter');
  await expect.poll(async () => (await passage()).to).toBe(50);
  await card.getByLabel('2', { exact: true }).first().uncheck(); // of the tracks
  await expect.poll(async () => (await passage()).tracks).toEqual([0]);

  // It is heard as it will be delivered: silence from frame 30 to 50, and the source outside.
  const [from, to, fade] = [(30 / fps) * rate, (50 / fps) * rate, 0.008 * rate];
  let now = await heard(page);
  const was = await heard(page, '&source=true');
  expect(Math.max(...now.slice(from, to).map(Math.abs))).toBe(0);
  expect(now.slice(0, from - fade - 1)).toEqual(was.slice(0, from - fade - 1));
  expect(now.slice(to + fade + 1)).toEqual(was.slice(to + fade + 1));
  expect(await heard(page, '&tracks=1')).toEqual(await heard(page, '&tracks=1&source=true'));

  // A second one, dragged on the sound, is a tone; and another voice.
  await page.mouse.move(row.x + (row.width * 80) / 150, row.y + 20);
  await page.mouse.down();
  await page.mouse.move(row.x + (row.width * 120) / 150, row.y + 20, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => (await document(page)).passages.length).toBe(2);
  await card.getByRole('button', { name: 'Tone' }).click();
  await card.getByLabel('Level').fill('-6');
  await card.getByLabel('Level').press('Enter');
  await expect.poll(() => passage(1)).toMatchObject({ how: 'tone', pitch: 1000, level: -6 });
  now = await heard(page);
  const loud = Math.max(...now.slice((90 / fps) * rate, (110 / fps) * rate).map(Math.abs)) / 32768;
  expect(20 * Math.log10(loud)).toBeCloseTo(-6, 1);
  await card.getByRole('button', { name: 'Voice' }).click();
  await expect.poll(async () => (await passage(1)).how).toBe('voice');

  // The master has it so, and the proof says that it was listened to.
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Deliver' }).click();
  const dialog = page.getByRole('dialog', { name: 'Deliver' });
  await dialog.getByLabel(/Archive master/).check();
  await dialog.getByRole('button', { name: /^Deliver/ }).click();
  await expect(dialog.getByTestId('delivery')).toHaveAttribute('data-state', 'done', { timeout: patience });
  await expect(dialog.getByText(/2 in the sound listened for and not heard/)).toBeVisible();
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    dialog.getByRole('link', { name: 'Download' }).click(),
  ]);
  expect(readFileSync(await file.path()).length).toBeGreaterThan(10_000);
});
