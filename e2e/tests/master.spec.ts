// A finished master in, a finished master out: cut into shots, cleared, delivered as it came, certified, handed over.
import { execFileSync, spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { clip, folder, newProgramme, probe, patience } from '../help';

/** The digests of a file's coded pictures. */
const packets = (path: string) =>
  execFileSync('ffmpeg', ['-v', 'error', '-i', path, '-map', '0:v:0', '-c', 'copy', '-f', 'framemd5', '-'])
    .toString()
    .split('\n')
    .filter((l) => l && !l.startsWith('#'))
    .map((l) => l.split(',')[5]!.trim());

test('a master is cut into shots, cleared, delivered as the source, certified and handed over', async ({ page }) => {
  // Three scenes in ProRes, with timecode and sound: clip() writes into the folder of the tests.
  const came = clip(
    'came.mov',
    ...['-f', 'lavfi', '-i', 'testsrc2=size=320x180:rate=25:duration=2'],
    ...['-f', 'lavfi', '-i', 'mandelbrot=size=320x180:rate=25:start_scale=1'],
    ...['-f', 'lavfi', '-i', 'smptehdbars=size=320x180:rate=25:duration=2'],
    ...['-f', 'lavfi', '-i', 'sine=r=48000:duration=6'],
    ...['-filter_complex', '[1:v]trim=duration=2[b];[0:v][b][2:v]concat=n=3:v=1[v]', '-map', '[v]', '-map', '3:a'],
    ...['-c:v', 'prores_ks', '-profile:v', '1', '-pix_fmt', 'yuv422p10le', '-c:a', 'pcm_s24le'],
    ...['-timecode', '10:00:00:00'],
  );
  const programme = await newProgramme(page, 'Master');
  await page.getByTestId('upload').setInputFiles(came);
  await expect(page.getByTestId('shot').locator('progress')).toHaveCount(0);
  await page.getByRole('link', { name: /About the source/ }).click();
  const cut = page.getByRole('button', { name: 'Make 3 shots' });
  await expect(cut).toBeVisible({ timeout: patience });
  await cut.click();
  await expect(page.getByText('3 shots now')).toBeVisible();

  // Each shot gets a cover on some frames, and one of them is on the list.
  const api = page.request;
  const { shots } = await (await api.get(`/api/programmes/${programme}`)).json();
  expect(shots.map((s: { first: number }) => s.first)).toEqual([0, 50, 100]);
  const corner = (x: number, y: number) => ({ p: { x, y } });
  const knots = [corner(80, 40), corner(200, 40), corner(200, 120), corner(80, 120)];
  const cover = {
    id: 'c',
    name: 'Mark',
    span: { first: 10, last: 19 },
    grow: 2,
    soften: { across: 4, down: 4 },
    motion: { pivot: { x: 140, y: 80 }, keys: [] },
    outlines: [{ id: 'o', shape: 'box', keys: [{ frame: 0, knots }] }],
    treatments: [{ id: 't', kind: 'mosaic', strength: 1, cell: { across: 24, down: 24 } }],
  };
  for (const shot of shots) {
    const edit = await api.post(`/api/shots/${shot.id}/edits`, {
      data: { base: 0, commands: [{ do: 'add', new: cover }] },
    });
    expect(edit.status(), await edit.text()).toBe(201);
  }
  const item = await api.post(`/api/shots/${shots[1].id}/items`, { data: { name: 'Mark', kind: 'logo' } });
  expect(item.ok(), await item.text()).toBe(true);

  const deliver = page.getByRole('region', { name: 'Deliver the master' });
  await expect(deliver.getByTestId('content')).toHaveCount(3);
  await expect(deliver.getByTestId('doubts')).toContainText('neither approved nor waived');
  const go = deliver.getByRole('button', { name: /^Deliver 3 shots/ });
  await expect(go).toBeDisabled();
  await deliver.getByRole('checkbox').check();
  await deliver.getByLabel('Pattern of the name').fill('{source} v{version}');
  await expect(deliver.getByTestId('name')).toHaveText('came v1.mov');
  await go.click();
  const row = deliver.getByTestId('delivery');
  await expect(row).toHaveAttribute('data-state', 'done', { timeout: patience });
  await expect(row).toContainText('120 of 150 pictures the source’s own');

  const [file] = await Promise.all([
    page.waitForEvent('download'),
    row.getByRole('link', { name: 'Download' }).click(),
  ]);
  const [paper] = await Promise.all([
    page.waitForEvent('download'),
    row.getByRole('link', { name: 'Certificate' }).click(),
  ]);
  const [went, certificate, key] = ['went.mov', 'went.json', 'key.pem'].map((n) => join(folder, n)) as [
    string,
    string,
    string,
  ];
  await file.saveAs(went);
  await paper.saveAs(certificate);
  writeFileSync(key, await (await api.get('/api/certificate-key')).body());
  const [was, is] = [packets(came), packets(went)];
  expect(is).toHaveLength(150);
  const same = was.flatMap((p, f) => (p === is[f] ? [f] : []));
  const untouched = (f: number) => f % 50 < 10 || f % 50 > 19;
  expect(same).toEqual([...Array(150).keys()].filter(untouched));
  expect(probe(went)).toMatchObject({ timecode: '10:00:00:00', frames: 150, sound: [{ codec: 'pcm_s24le' }] });
  const verify = () => spawnSync('../bin/celator', ['verify', certificate, went, '--key', key], { encoding: 'utf8' });
  const proved = verify();
  expect(proved.status, proved.stderr).toBe(0);
  expect(proved.stdout).toContain('Mark: To do');

  // The intake checks it and acknowledges; a file that it does not take is refused with the reason.
  await row.getByRole('button', { name: 'Hand over to Station' }).click();
  const handover = row.getByTestId('handover');
  await expect(handover).toHaveAttribute('data-state', 'acknowledged', { timeout: patience });
  await expect(handover).toContainText('Station: acknowledged on');
  await deliver.getByLabel('Pattern of the name').fill('été');
  await deliver.getByRole('checkbox').check();
  await go.click();
  await expect(row).toHaveCount(2);
  await expect(row.first()).toHaveAttribute('data-state', 'done', { timeout: patience });
  await row.first().getByRole('button', { name: 'Hand over to Station' }).click();
  await expect(row.first().getByTestId('handover')).toHaveAttribute('data-state', 'refused', { timeout: patience });
  await expect(row.first().getByTestId('handover')).toContainText('its name');

  // The first and the last shot as one file, from the programme's page.
  await page.goto(`/programmes/${programme}`);
  await page.getByRole('button', { name: 'Deliver shots' }).click();
  const dialog = page.getByRole('dialog', { name: 'Deliver shots' });
  await dialog.getByRole('radio', { name: 'one file, in this order' }).check();
  await dialog.getByLabel('Format of the shots').selectOption('archive');
  await expect(dialog.getByText('neither approved nor waived')).toBeVisible();
  await dialog.getByRole('group', { name: 'Shots' }).getByRole('checkbox').nth(1).uncheck();
  await expect(dialog.getByText('neither approved nor waived')).toHaveCount(0);
  await dialog.getByLabel('Pattern of the name').fill('Both v{version}');
  await dialog.getByRole('button', { name: 'Deliver 2 shots as one file' }).click();
  const both = page.getByTestId('delivery').filter({ hasText: 'Both v1.mkv' });
  await expect(both).toHaveAttribute('data-state', 'done', { timeout: patience });
  await expect(both).toContainText('in all 100 frames');

  const spoilt = readFileSync(went);
  spoilt[spoilt.length >> 1]! ^= 1;
  writeFileSync(went, spoilt);
  expect(verify().status).toBe(1);
});
