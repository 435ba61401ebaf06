// Decoded pictures around the playhead: view frames, and the patches that the
// covers of a revision lay on them. What is near in the direction of travel is
// fetched first; what is far is let go.
import { patch, steady, type Patch } from '../api/api';

interface Held<T> {
  value?: T;
  failed?: boolean;
  wait: Promise<T | undefined>;
  hastened?: boolean; // a quick one is on its way, too
}

/** How a patch is wanted. */
export interface Look {
  full?: boolean; // at the source's size
  matte?: boolean;
  quick?: boolean;
  woven?: boolean; // both fields
}

const KEEP = 80; // pictures of each kind
const AHEAD = 20; // frames fetched before they are needed
const BEHIND = 4; // and after a jump, from which either way may be gone

export class Frames {
  private views = new Map<string, Held<ImageBitmap>>();
  private patches = new Map<string, Held<Patch>>();
  private queue: (() => Promise<unknown>)[] = [];
  private running = 0;
  private sharpening: { url: string; stop: AbortController } | undefined; // the exact patch that is waited for
  private atOnce = 1;

  constructor(
    private source: string,
    private shot: string,
    private first: number, // the source's frame that is the shot's frame 0
    private last: number,
    private sharper: () => void, // a patch was replaced by its exact one
  ) {}

  private fetch<T>(map: Map<string, Held<T>>, key: string, load: () => Promise<T>, let_go: (v: T) => void): Held<T> {
    const old = map.get(key);
    if (old && !old.failed) {
      map.delete(key); // most recently used last
      map.set(key, old);
      return old;
    }
    const h: Held<T> = {
      wait: load().then(
        (v) => (h.value = v),
        () => {
          h.failed = true;
          return undefined;
        },
      ),
    };
    map.set(key, h);
    while (map.size > KEEP) {
      const [k, v] = map.entries().next().value!;
      map.delete(k);
      void v.wait.then((x) => x && let_go(x));
    }
    return h;
  }

  /** Of an interlaced source f is a field, half a frame more the second; woven, both are shown. */
  view(f: number, full = false, woven = false): Held<ImageBitmap> {
    const url = full
      ? `/api/sources/${this.source}/frames/${this.first + f}${woven ? '?woven=true' : ''}`
      : `/api/sources/${this.source}/views/${this.first + f}.jpg`;
    return this.fetch(
      this.views,
      url,
      async () => {
        const r = await steady(url);
        if (!r.ok) throw new Error('no picture');
        return createImageBitmap(await r.blob());
      },
      (b) => b.close(),
    );
  }

  /**
   * The patch of a frame. Where it is waited for, it may first be a quick one; the
   * exact one takes its place when it is here, unless another frame is waited for by then.
   */
  patch(revision: number, f: number, as: Look = {}): Held<Patch> {
    const { full = false, matte = false, quick = false, woven = false } = as;
    const url =
      `/api/shots/${this.shot}/patches/${revision}/${f}?` +
      (full ? 'full=true&' : '') +
      (matte ? 'matte=true&' : '') +
      (woven ? 'woven=true&' : '');
    if (quick && this.sharpening && this.sharpening.url !== url) this.sharpening.stop.abort();
    const coming = this.patches.get(url);
    if (quick && !full && coming && !coming.value && !coming.failed) this.hasten(coming, url);
    const h: Held<Patch> = this.fetch(
      this.patches,
      url,
      async () => {
        const first = await patch(steady(quick && !full ? url + 'quick=true' : url));
        if (first.quick) {
          const stop = new AbortController();
          this.sharpening = { url, stop };
          void patch(steady(url, { signal: stop.signal })).then(
            (exact) => {
              if (this.patches.get(url) !== h) return exact.picture?.close();
              h.value = exact;
              h.wait = Promise.resolve(exact);
              first.picture?.close();
              this.sharper();
            },
            () => (h.failed = true), // asked for again when it is looked at
          );
        }
        return first;
      },
      (p) => p.picture?.close(),
    );
    return h;
  }

  /** A patch that was asked for ahead is waited for now: a quick one will do until it is here. */
  private hasten(h: Held<Patch>, url: string): void {
    if (h.hastened) return;
    h.hastened = true;
    const exact = h.wait;
    let shown: Patch | undefined;
    const quick = patch(steady(url + 'quick=true')).then((p) => {
      if (h.value || this.patches.get(url) !== h) {
        p.picture?.close();
        return h.value;
      }
      return (h.value = shown = p);
    });
    h.wait = Promise.race([exact, quick.catch(() => exact)]);
    void exact.then((p) => {
      if (!shown) return;
      shown.picture?.close();
      if (p) this.sharper();
    });
  }

  /** A patch that belongs to no revision, named by what was asked for. */
  variant(name: string, load: () => Promise<Patch>): Held<Patch> {
    return this.fetch(this.patches, name, load, (p) => p.picture?.close());
  }

  /** The pictures of a frame when both are there, else undefined. */
  have(revision: number, f: number, full = false): { view: ImageBitmap; patch: Patch } | undefined {
    const v = this.view(f, full).value;
    const p = this.patch(revision, f, { full }).value;
    return v && p && { view: v, patch: p };
  }

  /** Whether playing from f can begin without waiting at once. */
  ready(revision: number, frames: number[]): boolean {
    return frames.every((f) => this.have(revision, f));
  }

  /**
   * Fetches what comes next, nearest first; while playing two frames at a time, else
   * one, so that the frame that is asked for now need not share with many. After a jump
   * some of those behind come with them.
   */
  ahead(revision: number, f: number, step: number, range: [number, number], how: 'steps' | 'plays' | 'jumped'): void {
    this.queue = [];
    this.atOnce = how === 'plays' ? 2 : 1;
    const steps: number[] = [];
    for (let i = 1; i <= AHEAD; i++) steps.push(i, ...(how === 'jumped' && i <= BEHIND ? [-i] : []));
    for (const i of steps) {
      let n = f + i * step;
      const len = range[1] - range[0] + 1;
      if (n > range[1]) n = range[0] + ((n - range[0]) % len);
      if (n < range[0]) n = range[1] - ((range[0] - n - 1) % len);
      n = Math.min(Math.max(n, 0), this.last + 1 - Math.min(Math.abs(step), 1));
      this.queue.push(async () => {
        await Promise.all([this.view(n).wait, this.patch(revision, n).wait]);
      });
    }
    this.pump();
  }

  /**
   * While the editor looks at a frame, has the server make the patches of the
   * frames to come, so that playing finds them made. Ends when told to.
   */
  async prepare(revision: number, from: number, span: [number, number], stop: AbortSignal): Promise<void> {
    const [first, last] = span;
    const start = from >= first && from <= last ? from : first;
    for (let i = 0; i <= last - first && !stop.aborted; i++) {
      const f = first + ((start - first + i) % (last - first + 1));
      try {
        await fetch(`/api/shots/${this.shot}/patches/${revision}/${f}?prepare=true`, { signal: stop });
      } catch {
        return;
      }
    }
  }

  private pump(): void {
    while (this.running < this.atOnce && this.queue.length > 0) {
      this.running++;
      void this.queue.shift()!().finally(() => {
        this.running--;
        this.pump();
      });
    }
  }
}
