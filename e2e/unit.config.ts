import { defineConfig } from '@playwright/test';

// Parts of the interface on their own, without a server or a browser.
export default defineConfig({ testDir: 'unit', outputDir: 'results', reporter: [['list']], fullyParallel: false });
