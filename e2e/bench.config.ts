import base from './playwright.config';

export default { ...base, testDir: 'bench', timeout: 300_000 };
