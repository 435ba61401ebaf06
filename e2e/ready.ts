// Waits until the demo is drawn and brought in, so that no test competes with that.
import type { FullConfig } from '@playwright/test';

export default async function ready(config: FullConfig): Promise<void> {
  const base = `${config.projects[0]!.use.baseURL}/api/programmes`;
  const [demo] = await (await fetch(base)).json();
  for (let i = 0; i < 4000; i++) {
    const p = await (await fetch(`${base}/${demo.id}`)).json();
    const drawings = await (await fetch(`${base}/${demo.id}/drawings`)).json();
    if (!drawings.length && p.sources.every((s: { state: string }) => s.state === 'ready')) return;
    await new Promise((r) => setTimeout(r, 250));
  }
  throw new Error('the demo sources are not ready');
}
