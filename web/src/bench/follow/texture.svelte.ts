// How well a surface can be followed, by what there is on it to be compared.
import { api, ask, type Point, type Texture } from '../../api/api';
import type { Model } from './following.svelte';

/** What would be followed from a frame: a surface's outline, or points. */
export interface Proposal {
  frame: number;
  surface: Point[];
  points: boolean;
}

export class SurfaceTexture {
  known = $state.raw<Texture & { at: string }>();

  /** Measures a proposed surface, unless it was measured last. */
  async of(shot: string, p: Proposal | undefined, model: Model): Promise<void> {
    if (!p || p.points || p.surface.length < 3) {
      this.known = undefined;
      return;
    }
    const at = JSON.stringify(p) + model;
    if (this.known?.at === at) return;
    try {
      const t = await ask(
        api.POST('/api/shots/{id}/assess', {
          params: { path: { id: shot } },
          body: { frame: p.frame, surface: p.surface, model },
        }),
      );
      this.known = { ...t, at };
    } catch (e) {
      this.known = { words: e instanceof Error ? e.message : String(e), share: 0, spread: 0, enough: false, at };
    }
  }
}
