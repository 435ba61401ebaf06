// The real program, with a database and a store of its own, over the demo
// footage; and Debian's headless Chromium.
import type { PlaywrightTestConfig } from '@playwright/test';

export const port = 8431;

type Server = Exclude<PlaywrightTestConfig['webServer'], unknown[] | undefined>;

/** Where the stand-in intake of the tests is. */
export const intake = 8432;

/** The program on data of its own; with the demo programme where that is wanted. */
export function server(data: string, port: number, demo = false): Server {
  return {
    command:
      `rm -rf ${data} && exec ../bin/celator serve ${demo ? '--demo ' : ''}` +
      `--data ${data} --media ../.run/media --addr 127.0.0.1:${port} --intake Station=http://127.0.0.1:${intake}`,
    url: `http://127.0.0.1:${port}/api/programmes`,
    // Checks of shots that a test goes on editing, and looking through what none asks about, would
    // only take the machine's time.
    env: { CELATOR_UNSAFE_DATABASE: '1', ...(demo ? {} : { CELATOR_CHECK_AFTER: '15', CELATOR_FIND: '0' }) },
    timeout: 300_000,
    gracefulShutdown: { signal: 'SIGTERM', timeout: 10_000 },
  };
}

export const use: PlaywrightTestConfig['use'] = {
  baseURL: `http://127.0.0.1:${port}`,
  viewport: { width: 1280, height: 800 },
  actionTimeout: 120_000,
  launchOptions: {
    executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  },
};
