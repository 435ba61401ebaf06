import { defineConfig } from '@playwright/test';
import { server, use } from './server';

export default defineConfig({
  testDir: 'tests',
  globalSetup: './ready.ts',
  outputDir: 'results',
  workers: 1,
  timeout: 120_000,
  expect: { timeout: 15_000 },
  reporter: [['list']],
  use,
  webServer: server('../.run/e2e', 8431),
});
