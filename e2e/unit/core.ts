// The core of the browser, run by Node: the same file, and so the same rules.
import { readFileSync } from 'node:fs';
import { runInThisContext } from 'node:vm';

export type Ask = (name: string, request?: unknown) => any;

const built = (name: string) => new URL(`../../web/${name}`, import.meta.url);

/** Another core, with a document of its own; it becomes the one that the interface asks. */
export async function newCore(): Promise<Ask> {
  const g = globalThis as any;
  if (!g.Go) runInThisContext(readFileSync(built('public/wasm_exec.js'), 'utf8'));
  const go = new g.Go();
  const { instance } = await WebAssembly.instantiate(readFileSync(built('src/core/core.wasm')), go.importObject);
  void go.run(instance);
  const core = g.celatorCore;
  return (name, request = {}) => {
    const reply = JSON.parse(core(name, JSON.stringify(request)));
    if (reply.error) throw new Error(reply.error);
    return reply.value;
  };
}
