import { chromium } from 'playwright';
const b = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu'] });
const page = await b.newPage({ viewport: { width: 1280, height: 800 } });
page.on('pageerror', (e) => console.log('ERR', e.message));
const steps = process.argv.slice(2);
const shot = (n) => page.screenshot({ path: `/tmp/look-${n}.png` });
export { page, shot };
await (await import(process.argv[2])).default(page, shot);
await b.close();
