// A picture of a mark is given; it is found where it stands in two files, one of them smaller and darker, and drafts
// are made of it that lie on it and are followed.
import { expect, test } from '@playwright/test';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { corners, patience } from '../help';

const clip = '../.run/media/tidewrack-week/chandlers-sign/clip.mp4';
const [from, frames, size] = [60, 50, 0.75];

test('a mark is found again by its picture, and drafted', async ({ page }) => {
  const dir = mkdtempSync(join(tmpdir(), 'again-'));
  const ffmpeg = (...args: string[]) => execFileSync('ffmpeg', ['-v', 'error', '-y', ...args]);
  const cut = `trim=start_frame=${from}:end_frame=${from + frames},setpts=PTS-STARTPTS`;
  const coded = ['-an', '-c:v', 'libx264', '-crf', '18', '-pix_fmt', 'yuv420p'];
  ffmpeg('-i', clip, '-vf', cut, ...coded, join(dir, 'near.mp4'));
  ffmpeg('-i', clip, '-vf', `${cut},scale=iw*${size}:-2,eq=brightness=-0.12`, ...coded, join(dir, 'far.mp4'));
  // The sign's upper board, upright enough to be cut out.
  const truth = corners('chandlers-sign');
  const box = (q: { x: number; y: number }[]) => {
    const [xs, ys] = [q.map((p) => p.x), q.map((p) => p.y)];
    return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)] as const;
  };
  const [x0, y0, x1, y1] = box(truth[from]!);
  const wide = Number(
    execFileSync('ffprobe', ['-v', 'error', '-show_entries', 'stream=width', '-of', 'csv=p=0', join(dir, 'near.mp4')]),
  );
  ffmpeg(
    '-i',
    join(dir, 'near.mp4'),
    '-vf',
    `crop=${x1 - x0}:${y1 - y0}:${x0}:${y0}`,
    '-frames:v',
    '1',
    join(dir, 'sign.png'),
  );

  await page.goto('/');
  await page.getByLabel('Name of a new programme').fill(`Again ${Math.random()}`);
  await page.getByRole('button', { name: 'Create', exact: true }).click();
  for (const name of ['near', 'far']) {
    const buffer = readFileSync(join(dir, `${name}.mp4`));
    await page.getByTestId('upload').setInputFiles({ name: `${name}.mp4`, mimeType: 'video/mp4', buffer });
    await expect(page.getByTestId('shot').filter({ hasText: name })).toBeVisible();
  }
  const programme = page.url().split('/').pop()!;
  const api = `/api/programmes/${programme}`;
  await page.request.post(`${api}/items`, {
    data: { name: 'Signboard', kind: 'sign', description: '', reason: '', requester: '', due: '' },
  });
  await page.getByRole('link', { name: 'Proposals' }).click();

  // What is no picture, and what shows nothing, is refused in words; nothing is looked for.
  await page.getByRole('button', { name: 'Looked for by picture' }).click();
  await page.getByLabel('Item that the picture shows').selectOption({ label: 'Signboard' });
  const give = page.getByLabel('Picture to look for');
  await give.setInputFiles({ name: 'no.png', mimeType: 'image/png', buffer: Buffer.from('no picture') });
  await expect(page.getByRole('alert').first()).toContainText(/picture|PNG/);
  await expect(page.getByTestId('mark')).toHaveCount(0);

  await give.setInputFiles(join(dir, 'sign.png'));
  const mark = page.getByTestId('mark');
  await expect(mark).toContainText('2 of 2 sources looked through', { timeout: patience });
  await expect(mark).toContainText('2 finds');
  const list = async () => (await page.request.get(`${api}/proposals`)).json();
  const found = (await list()).proposals;
  expect(found.map((p: any) => p.kind)).toEqual(['mark', 'mark']);
  await page.keyboard.press('Escape');
  await page.getByRole('heading', { name: 'Proposals' }).click();

  // One group, by the item's name; drafts are made of both.
  const groups = page.getByTestId('group');
  await expect(groups).toHaveCount(1);
  await expect(groups).toContainText('Signboard');
  await expect(groups).toContainText('On the list');
  await page.getByRole('button', { name: 'Draft what the list asks for (2)' }).click();
  await expect(page.getByTestId('drafts')).toContainText('2 drafts made.', { timeout: patience });
  for (const p of (await list()).proposals) {
    const shot = await (await page.request.get(`/api/shots/${p.in}`)).json();
    const cover = shot.revision.document.covers[0];
    expect(cover.draft).toBe(true);
    expect(cover.track).not.toBe('');
    // Its box lies on the sign's, to a few pixels, on the frame on which it was drawn.
    const k = shot.revision.document.width / wide;
    const want = box(truth[from + p.frame]!);
    const have = box(cover.outlines[0].keys[0].knots.map((n: any) => n.p));
    have.forEach((v, i) => expect(Math.abs(v - k * want[i]!)).toBeLessThan(10));
  }
  // They wait for eyes.
  await page.goto(`/programmes/${programme}`);
  await expect(page.getByTestId('eyes')).toContainText('one draft to look at');
  rmSync(dir, { recursive: true });
});
