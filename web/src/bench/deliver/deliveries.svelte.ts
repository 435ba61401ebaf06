import { api, ask, type Delivery } from '../../api/api';
import type { Notice } from '../notice.svelte';
import type { OpenShot } from '../shot.svelte';

/** What is to be delivered: of the whole shot where no frames are given. */
export interface Wanted {
  preset: string;
  name: string;
  first?: number;
  last?: number;
  matte?: boolean;
}

/** The deliveries of the shot. */
export class Deliveries {
  all = $state.raw<Delivery[]>([]);

  constructor(
    private shot: OpenShot,
    private notice: Notice,
  ) {}

  /** Those that are still being made. */
  get active(): Delivery[] {
    return this.all.filter((d) => ['queued', 'rendering', 'joining', 'verifying'].includes(d.state));
  }

  async load(): Promise<void> {
    const path = { id: this.shot.programme };
    const programme = await ask(api.GET('/api/programmes/{id}', { params: { path } }));
    this.all = programme.deliveries.filter((d) => d.shot === this.shot.id);
  }

  async deliver(what: Wanted): Promise<void> {
    try {
      const path = { id: this.shot.id };
      await ask(api.POST('/api/shots/{id}/deliveries', { params: { path }, body: what }));
      await this.load();
    } catch (e) {
      this.notice.say(e);
    }
  }

  async cancel(id: string): Promise<void> {
    try {
      await ask(api.POST('/api/deliveries/{id}/cancel', { params: { path: { id } } }));
    } catch (e) {
      this.notice.say(e);
    }
  }
}
