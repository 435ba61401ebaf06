// What goes on in the queue, of all programmes: read from the server, so that it is there
// after a reload too. How fast it goes is measured here, from one look to the next.
import { api, ask, listen, type Work } from '../api/api';

/** How often it is looked at while something goes on, ms. */
const often = 1000;
/** How much of the newest look counts for the rate. */
const fresh = 0.3;

export interface Going extends Work {
  rate: number; // frames a second; 0 where it is not known yet
  left: number; // s
}

const keyOf = (w: Work) => `${w.kind} ${w.id} ${w.state}`;

export class WorkList {
  all = $state.raw<Going[]>([]);
  error = $state('');
  private seen = new Map<string, { at: number; done: number; rate: number }>();
  private timer: ReturnType<typeof setTimeout> | undefined;
  private closed = false;

  open(): () => void {
    void this.look();
    const stop = listen((kind) => {
      if (['all', 'source', 'attempt', 'check', 'delivery', 'search', 'drawing'].includes(kind)) this.soon(200);
    });
    return () => {
      this.closed = true;
      clearTimeout(this.timer);
      stop();
    };
  }

  private soon(after: number): void {
    if (this.timer || this.closed) return;
    this.timer = setTimeout(() => {
      this.timer = undefined;
      void this.look();
    }, after);
  }

  private async look(): Promise<void> {
    try {
      const all = await ask(api.GET('/api/work'));
      this.all = all.map((w) => this.measured(w));
      const there = new Set(all.map(keyOf));
      for (const k of this.seen.keys()) if (!there.has(k)) this.seen.delete(k);
    } catch {
      // It is asked for again.
    }
    if (this.all.length) this.soon(often);
  }

  private measured(w: Work): Going {
    const at = performance.now();
    const was = this.seen.get(keyOf(w));
    let rate = was?.rate ?? 0;
    if (was && at - was.at > often / 2) {
      const now = (1000 * (w.done - was.done)) / (at - was.at);
      rate = rate ? (1 - fresh) * rate + fresh * now : now;
    }
    if (!was || at - was.at > often / 2) this.seen.set(keyOf(w), { at, done: w.done, rate: Math.max(rate, 0) });
    const left = rate > 0.01 && w.frames > w.done ? (w.frames - w.done) / rate : 0;
    return { ...w, rate: Math.max(rate, 0), left };
  }

  async stop(w: Work): Promise<void> {
    const params = { path: { id: w.id } };
    const stops: Record<Work['kind'], () => Promise<unknown>> = {
      drawing: () => ask(api.DELETE('/api/drawings/{id}', { params })),
      import: () => ask(api.DELETE('/api/sources/{id}', { params })),
      search: () => ask(api.POST('/api/sources/{id}/search/stop', { params })),
      find: () => ask(api.POST('/api/sources/{id}/find/stop', { params })),
      seek: () => ask(api.POST('/api/sources/{id}/seek/stop', { params })),
      draft: () => ask(api.POST('/api/programmes/{id}/draft/stop', { params })),
      track: () => ask(api.POST('/api/attempts/{id}/stop', { params })),
      holdout: () => ask(api.POST('/api/attempts/{id}/stop', { params })),
      check: () => ask(api.POST('/api/shots/{id}/check/stop', { params })),
      delivery: () => ask(api.POST('/api/deliveries/{id}/cancel', { params })),
    };
    try {
      await stops[w.kind]();
      this.error = '';
    } catch (e) {
      this.error = (e as Error).message;
    }
    await this.look();
  }
}
