// Formats of a station: chosen, said what they change, made as house presets, delivered.
import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { bringIn, folder, newProgramme, pattern, patience } from '../help';

test('a format is chosen, made a house preset, shared, and delivered', async ({ page }) => {
  await newProgramme(page, 'Formats');
  await bringIn(page, pattern('formats.mp4'));
  await page.getByRole('button', { name: 'Deliver' }).click();
  const dialog = page.getByRole('dialog', { name: 'Deliver' });
  const other = dialog.getByLabel('Another format');
  await other.selectOption('prores-hq');
  await expect(dialog.getByTestId('changes')).toContainText('10 bit instead of 8');
  await other.selectOption('imx-50');
  await expect(dialog.getByRole('alert')).toContainText('720x576');
  await expect(dialog.getByRole('button', { name: /^Deliver / })).toBeDisabled();

  await dialog.getByRole('button', { name: 'House presets' }).click();
  const house = dialog.getByRole('group', { name: 'House presets' });
  await house.getByLabel('Title').fill('Quay mezzanine');
  await house.getByLabel('Codec', { exact: true }).selectOption('prores-lt');
  await house.getByRole('button', { name: 'Try and save' }).click();
  await expect(house.getByRole('status')).toContainText(/written into mov/i);
  await house.getByLabel('Container', { exact: true }).selectOption('mov');
  const [shared] = await Promise.all([
    page.waitForEvent('download'),
    house.getByRole('link', { name: 'As a file' }).click(),
  ]);
  const file = join(folder, 'quay.json');
  await shared.saveAs(file);
  await house.getByLabel('Title').fill('');
  await house.getByLabel('From a file').setInputFiles(file);
  await expect(house.getByLabel('Title')).toHaveValue('Quay mezzanine');
  await house.getByRole('button', { name: 'Try and save' }).click();
  await expect(house.getByRole('status')).toContainText('Tried and kept', { timeout: patience });
  await expect(other).toHaveValue('quay-mezzanine');

  await dialog.getByRole('button', { name: /^Deliver / }).click();
  await expect(dialog.getByTestId('delivery')).toHaveAttribute('data-state', 'done', { timeout: patience });
  const [out] = await Promise.all([
    page.waitForEvent('download'),
    dialog.getByRole('link', { name: 'Download' }).click(),
  ]);
  const path = join(folder, 'formats-out.mov');
  await out.saveAs(path);
  const said = execFileSync('ffprobe', [
    ...['-v', 'error', '-select_streams', 'v:0', '-show_entries', 'stream=codec_name,profile', '-of', 'csv=p=0', path],
  ]);
  expect(said.toString().trim()).toBe('prores,LT');
  await house.getByRole('button', { name: 'Delete' }).click();
  await expect(house.getByRole('status')).toContainText('Removed');
});
