// The core, compiled for the browser: covers are evaluated and edited here by
// the very code that the server and a delivery run.
import type { Command, Document, Outline, Placement, Treatment } from './api';

export interface CoverAt {
  id: string;
  inside: boolean;
  keyed: boolean;
  path: string;
  placement: Placement;
  centre: { x: number; y: number };
  size: { x: number; y: number };
  keys: number[];
}

declare global {
  const Go: new () => { importObject: WebAssembly.Imports; run(i: WebAssembly.Instance): Promise<void> };
  // eslint-disable-next-line no-var
  var celatorCore: Record<string, (...a: (string | number)[]) => string>;
}

let ready: Promise<void> | undefined;

/** Loads the core once. */
export function loadCore(): Promise<void> {
  ready ??= (async () => {
    const go = new Go();
    const { instance } = await WebAssembly.instantiateStreaming(fetch('/core.wasm'), go.importObject);
    void go.run(instance);
  })();
  return ready;
}

function call<T>(name: string, ...args: (string | number)[]): T {
  const r = JSON.parse(celatorCore[name]!(...args)) as { error?: string; value: T };
  if (r.error) {
    const t = r.error.replace(/^(edit|document|timecode): /, '');
    throw new Error(t.charAt(0).toUpperCase() + t.slice(1) + '.');
  }
  return r.value;
}

export const core = {
  /** Makes a document the one on the bench; a draft is dropped. */
  load: (d: Document) => call<void>('load', JSON.stringify(d)),
  /** Makes the saved document with these commands the draft, and names the change. */
  apply: (c: Command[]) => call<string>('apply', JSON.stringify(c)),
  /** The draft, or the saved document where there is none. */
  document: () => call<Document>('document'),
  /** All its covers at a frame. */
  at: (f: number) => call<CoverAt[]>('at', f),
  clock: (num: number, den: number, start: string) => call<void>('clock', num, den, start),
  timecode: (f: number) => call<string>('timecode', f),
  frameOf: (s: string) => call<number>('frameOf', s),
  treatment: (id: string, kind: string) => call<Treatment>('treatment', id, kind),
  outline: (id: string, shape: string, x0: number, y0: number, x1: number, y1: number) => call<Outline>('outline', id, shape, x0, y0, x1, y1),
};
