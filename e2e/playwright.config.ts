import { availableParallelism } from 'node:os';
import { defineConfig } from '@playwright/test';
import { intake, server, use } from './server';

export default defineConfig({
  testDir: 'tests',
  outputDir: 'results',
  // Each test has a programme of its own; what the server does for it takes most of two cores.
  fullyParallel: true,
  workers: Math.max(Math.floor(availableParallelism() / 2), Number(process.env.WORKERS ?? 1)),
  timeout: 1_200_000, // a busy machine is slow; what hangs is ended all the same
  expect: { timeout: 120_000 },
  reporter: [['list']],
  use,
  webServer: [
    {
      command:
        'rm -rf ../.run/e2e-intake && exec ../bin/celator intake --dir ../.run/e2e-intake ' +
        `--addr 127.0.0.1:${intake}`,
      port: intake,
    },
    server('../.run/e2e', 8431),
  ],
});
