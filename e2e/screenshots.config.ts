import base from './playwright.config';
import { server, use } from './server';

// Beside the tests, which may run meanwhile.
const port = 8437;

// The main views, of the demo programme.
export default {
  ...base,
  testDir: 'screenshots',
  globalSetup: './ready.ts',
  fullyParallel: false,
  workers: 1,
  timeout: 300_000,
  use: { ...use, baseURL: `http://127.0.0.1:${port}` },
  webServer: server('../.run/pictures', port, true),
};
