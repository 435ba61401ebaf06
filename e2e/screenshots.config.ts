import base from './playwright.config';
import { server } from './server';

// The main views, of the demo programme.
export default {
  ...base,
  testDir: 'screenshots',
  globalSetup: './ready.ts',
  fullyParallel: false,
  workers: 1,
  timeout: 300_000,
  webServer: server('../.run/e2e', 8431, true),
};
