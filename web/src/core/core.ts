// The core, compiled for the browser: covers are evaluated and edited here by the very
// code that the server and a delivery run. Every call and its types are made from
// core/session (make contract).
import type { operations } from './calls.gen';

type Calls = operations;
type Request<N extends keyof Calls> = Calls[N]['requestBody']['content']['application/json'];
type Answer<N extends keyof Calls> = Calls[N]['responses'][200]['content']['application/json'];

/** A function for each call; one that asks for nothing takes no argument. */
type Core = {
  [N in keyof Calls]: Record<string, never> extends Request<N> ? () => Answer<N> : (request: Request<N>) => Answer<N>;
};

declare global {
  const Go: new () => { importObject: WebAssembly.Imports; run(i: WebAssembly.Instance): Promise<void> };
  var celatorCore: (name: string, request: string) => string;
}

let ready: Promise<void> | undefined;

/** Loads the core once. */
export function loadCore(): Promise<void> {
  ready ??= (async () => {
    const go = new Go();
    // Under a name of its content, so that a browser keeps it, and what it compiled of it.
    const compiled = fetch(new URL('./core.wasm', import.meta.url));
    const { instance } = await WebAssembly.instantiateStreaming(compiled, go.importObject);
    void go.run(instance);
  })();
  return ready;
}

function call(name: string, request: unknown = {}): unknown {
  const reply = JSON.parse(celatorCore(name, JSON.stringify(request))) as { error?: string; value?: unknown };
  if (reply.error) {
    const words = reply.error.replace(/^(edit|document|timecode): /, '');
    throw new Error(words.charAt(0).toUpperCase() + words.slice(1) + '.');
  }
  return reply.value;
}

export const core = new Proxy({} as Core, {
  get: (_, name: string) => (request?: unknown) => call(name, request),
});
