// Interlaced pictures: stepped, keyed, followed and delivered field by field.
import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { addItem, bringIn, clip, decode, document, dragOn, evenFill, folder, newProgramme, patience } from '../help';

const [W, H] = [480, 270];
const target = { y: 110, w: 60, h: 40 };
/** Where the target is in a field. */
const x = (n: number) => 30 + 8 * n;

/** A white target that moves eight pixels in every field's time, on grey. */
const moving = () =>
  clip(
    'fields.mkv',
    ...['-f', 'lavfi', '-i', `color=gray:s=${W}x${H}:r=50:d=0.96`],
    ...['-f', 'lavfi', '-i', `color=white:s=${target.w}x${target.h}:r=50:d=0.96`],
    '-filter_complex',
    `[0][1]overlay=x=30+8*n:y=${target.y}:eval=frame,tinterlace=interleave_top,setfield=tff`,
    ...['-r', '25', '-c:v', 'ffv1', '-level', '3', '-pix_fmt', 'yuv420p'],
  );

test('two keys, on the first field and on the last, hide a target in every field', async ({ page }) => {
  const source = moving();
  await newProgramme(page, 'Interlaced');
  await bringIn(page, source);
  await addItem(page, 'Board');
  const draw = (n: number) => dragOn(page, x(n) - 3, target.y - 3, x(n) + target.w + 3, target.y + target.h + 3);
  await draw(0);
  await evenFill(page);
  await page.keyboard.press('ArrowRight');
  await expect(page.getByTestId('frame')).toHaveText('f 0.5');
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /^0.5:/);
  await page.keyboard.press('End');
  await page.keyboard.press('ArrowRight');
  await expect(page.getByTestId('frame')).toHaveText('f 23.5');
  await page.keyboard.press('ArrowRight'); // there is no field after it
  await page.keyboard.press('b');
  await draw(47);
  const keys = async () => (await document(page)).covers[0].motion.keys.map((k: { frame: number }) => k.frame);
  await expect.poll(keys).toEqual([0, 23.5]);

  // Woven, both fields are shown, frame by frame and at the source's size.
  const fields = page.getByRole('group', { name: 'Interlaced pictures' });
  await fields.getByRole('button', { name: 'Woven' }).click();
  await expect(page.getByTestId('frame')).toHaveText('f 23');
  await page.keyboard.press('ArrowLeft');
  await expect(page.getByTestId('frame')).toHaveText('f 22');
  await expect(page.getByTestId('picture')).toHaveAttribute('data-shown', /^22:/);
  await fields.getByRole('button', { name: 'Fields' }).click();
  await page.keyboard.press('ArrowLeft');
  await expect(page.getByTestId('frame')).toHaveText('f 21.5');

  await page.getByRole('button', { name: 'Deliver' }).click();
  const dialog = page.getByRole('dialog', { name: 'Deliver' });
  await dialog.getByLabel(/Archive master/).check();
  await dialog.getByRole('button', { name: /^Deliver/ }).click();
  await expect(dialog.getByTestId('delivery')).toHaveAttribute('data-state', 'done', { timeout: patience });
  await expect(dialog.getByText(/every sample outside the covers equals/)).toBeVisible();
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    dialog.getByRole('link', { name: 'Download' }).click(),
  ]);
  const out = join(folder, 'fields-out.mkv');
  await file.saveAs(out);
  const first = execFileSync('ffprobe', [
    ...['-v', 'error', '-select_streams', 'v:0', '-show_entries', 'stream=field_order', '-of', 'csv=p=0', out],
  ]);
  expect(first.toString().trim()).toMatch(/^(tt|tb)$/);
  const pictures = decode(out);
  const size = (W * H * 3) / 2;
  expect(pictures.length).toBe(24 * size);
  let bare = 0;
  for (let n = 0; n < 48; n++) {
    for (let row = target.y; row < target.y + target.h; row++) {
      if (row % 2 !== n % 2) continue; // the other field's line
      for (let col = x(n); col < x(n) + target.w; col++) if (pictures[(n >> 1) * size + row * W + col]! > 200) bare++;
    }
  }
  expect(bare).toBe(0);
});

test('a surface is followed in every field', async ({ page }) => {
  const source = clip(
    'followed.mkv',
    ...[
      '-f',
      'lavfi',
      '-i',
      `color=c=gray:s=${W}x${H}:r=50:d=0.8,format=yuv444p,noise=alls=40:allf=0:all_seed=3,gblur=1`,
    ],
    ...['-f', 'lavfi', '-i', 'testsrc2=s=120x80:r=50:d=0.8,select=eq(n\\,7),loop=-1:1,fps=50,format=yuv444p,gblur=1'],
    '-filter_complex',
    '[0][1]overlay=x=40+6*n:y=90:eval=frame:format=yuv444,tinterlace=interleave_top,setfield=tff',
    ...['-t', '0.8', '-r', '25', '-c:v', 'ffv1', '-level', '3', '-pix_fmt', 'yuv422p'],
  );
  await newProgramme(page, 'Followed fields');
  await bringIn(page, source);
  await addItem(page, 'Chart');
  await dragOn(page, 40, 90, 160, 170);
  await page.keyboard.press('v');
  await expect.poll(async () => (await document(page)).tracks?.[0]?.attempt ?? '', { timeout: patience }).not.toBe('');
  const id = (await document(page)).tracks[0].attempt;
  const { poses } = await (await page.request.get(`/api/attempts/${id}`)).json();
  expect(poses.fields).toBe(true);
  expect(poses.states).toMatch(/^a[g]{39}$/);
  for (const [n, c] of poses.corners.entries()) expect(Math.abs(c[0] - (40 + 6 * n))).toBeLessThan(1);
});
