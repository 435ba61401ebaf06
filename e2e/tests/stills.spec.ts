// A still picture as a shot of one frame.
import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { addItem, bringIn, clip, dragOn, evenFill, folder, newProgramme, patience } from '../help';

test('a still picture is a shot of one frame, and comes back exactly', async ({ page }) => {
  const source = clip(
    'board.png',
    '-f',
    'lavfi',
    '-i',
    'testsrc2=size=320x200:duration=0.04',
    '-frames:v',
    '1',
    '-pix_fmt',
    'rgb24',
  );
  await newProgramme(page, 'Still');
  await bringIn(page, source);
  await expect(page.getByTestId('frame')).toHaveText('f 0');
  await addItem(page, 'Word');
  await dragOn(page, 40, 40, 120, 90);
  await evenFill(page);
  await page.getByRole('button', { name: 'Deliver' }).click();
  const dialog = page.getByRole('dialog', { name: 'Deliver' });
  await dialog.getByRole('button', { name: 'Deliver' }).click();
  await expect(dialog.getByTestId('delivery')).toHaveAttribute('data-state', 'done', { timeout: patience });
  await expect(dialog.getByText(/every sample outside the covers equals/)).toBeVisible();
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    dialog.getByRole('link', { name: 'Download' }).click(),
  ]);
  expect(file.suggestedFilename()).toBe('board.png');
  await file.saveAs(join(folder, 'board-out.png'));
  const rgb = (p: string) =>
    execFileSync('ffmpeg', ['-v', 'error', '-i', p, '-f', 'rawvideo', '-pix_fmt', 'rgb24', 'pipe:1'], {
      maxBuffer: 1 << 24,
    });
  const [a, b] = [rgb(source), rgb(join(folder, 'board-out.png'))];
  expect(b.length).toBe(a.length);
  const wrong = { outside: 0, inside: 0 };
  for (let y = 0; y < 200; y++) {
    for (let x = 0; x < 320; x++) {
      const i = (y * 320 + x) * 3;
      const px = [0, 1, 2].map((c) => b[i + c]);
      if (x < 33 || x > 127 || y < 33 || y > 97) wrong.outside += px.every((v, c) => v === a[i + c]) ? 0 : 1;
      else if (x > 41 && x < 119 && y > 41 && y < 89) wrong.inside += px.every((v) => v === 128) ? 0 : 1;
    }
  }
  expect(wrong).toEqual({ outside: 0, inside: 0 });
});
