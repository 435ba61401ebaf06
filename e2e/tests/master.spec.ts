// A finished master in, a finished master out: cut into shots, cleared, delivered as it came, certified.
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

test('a master is cut into shots, cleared, delivered as the source, and certified', async ({ page }) => {
  // Two scenes in ProRes, with timecode and sound: clip() writes into the folder of the tests.
  const came = clip(
    'came.mov',
    ...['-f', 'lavfi', '-i', 'testsrc2=size=320x180:rate=25:duration=2'],
    ...['-f', 'lavfi', '-i', 'mandelbrot=size=320x180:rate=25:start_scale=1'],
    ...['-f', 'lavfi', '-i', 'sine=r=48000:duration=4'],
    ...['-filter_complex', '[1:v]trim=duration=2[b];[0:v][b]concat=n=2:v=1[v]', '-map', '[v]', '-map', '2:a'],
    ...['-c:v', 'prores_ks', '-profile:v', '1', '-pix_fmt', 'yuv422p10le', '-c:a', 'pcm_s24le'],
    ...['-timecode', '10:00:00:00'],
  );
  const programme = await newProgramme(page, 'Master');
  await page.getByTestId('upload').setInputFiles(came);
  await expect(page.getByTestId('shot').locator('progress')).toHaveCount(0);
  await page.getByRole('link', { name: /About the source/ }).click();
  const cut = page.getByRole('button', { name: 'Make 2 shots' });
  await expect(cut).toBeVisible({ timeout: patience });
  await cut.click();
  await expect(page.getByText('2 shots now')).toBeVisible();

  // The second shot gets a cover on some frames.
  const api = page.request;
  const { shots } = await (await api.get(`/api/programmes/${programme}`)).json();
  const shot = shots.find((s: { first: number }) => s.first === 50);
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
  const edit = await api.post(`/api/shots/${shot.id}/edits`, {
    data: { base: 0, commands: [{ do: 'add', new: cover }] },
  });
  expect(edit.status(), await edit.text()).toBe(201);
  const item = await api.post(`/api/shots/${shot.id}/items`, { data: { name: 'Mark', kind: 'logo' } });
  expect(item.ok(), await item.text()).toBe(true);

  const deliver = page.getByRole('region', { name: 'Deliver the master' });
  await expect(deliver.getByTestId('content')).toHaveCount(1);
  await expect(deliver.getByTestId('doubts')).toContainText('neither approved nor waived');
  const go = deliver.getByRole('button', { name: /^Deliver 2 shots/ });
  await expect(go).toBeDisabled();
  await deliver.getByRole('checkbox').check();
  await deliver.getByLabel('Pattern of the name').fill('{source} v{version}');
  await expect(deliver.getByTestId('name')).toHaveText('came v1.mov');
  await go.click();
  const row = deliver.getByTestId('delivery');
  await expect(row).toHaveAttribute('data-state', 'done', { timeout: patience });
  await expect(row).toContainText('90 of 100 pictures the source’s own');

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
  expect(is).toHaveLength(100);
  const same = was.flatMap((p, f) => (p === is[f] ? [f] : []));
  expect(same).toEqual([...Array(60).keys(), ...Array.from({ length: 30 }, (_, f) => 70 + f)]);
  expect(probe(went)).toMatchObject({ timecode: '10:00:00:00', frames: 100, sound: [{ codec: 'pcm_s24le' }] });
  const verify = () => spawnSync('../bin/celator', ['verify', certificate, went, '--key', key], { encoding: 'utf8' });
  const proved = verify();
  expect(proved.status, proved.stderr).toBe(0);
  expect(proved.stdout).toContain('Mark: To do');
  const spoilt = readFileSync(went);
  spoilt[spoilt.length >> 1]! ^= 1;
  writeFileSync(went, spoilt);
  expect(verify().status).toBe(1);
});
