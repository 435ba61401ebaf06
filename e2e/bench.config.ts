import base from './playwright.config';
import { server } from './server';

// The demo programme, and nothing beside the measured page.
export default {
  ...base,
  testDir: 'bench',
  globalSetup: './ready.ts',
  fullyParallel: false,
  workers: 1,
  timeout: 300_000,
  webServer: server('../.run/e2e', 8431, true),
};
