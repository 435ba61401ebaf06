// The shot that is open, as the server has it: its source, its items and their states.
import { api, ask, type Item, type Appearance, type Shot } from '../api/api';

export class OpenShot {
  view = $state<Shot>();

  get id(): string {
    return this.view!.id;
  }
  get programme(): string {
    return this.view!.programme;
  }
  get last(): number {
    return (this.view?.frames ?? 1) - 1;
  }
  get rate(): { num: number; den: number } {
    return this.view!.sourceInfo.info.rate;
  }
  /** Pictures are woven of two fields, each of its own time. */
  get fields(): boolean {
    return this.view!.sourceInfo.info.field !== 'progressive';
  }
  get width(): number {
    return this.view!.sourceInfo.info.width;
  }
  get height(): number {
    return this.view!.sourceInfo.info.height;
  }
  get items(): Item[] {
    return this.view?.items ?? [];
  }
  /** How far an item has come in this shot. */
  standing(item: string): Appearance | undefined {
    return this.view?.appearances.find((s) => s.item === item);
  }

  /** Reads the shot, without showing it yet. */
  read(id: string): Promise<Shot> {
    return ask(api.GET('/api/shots/{id}', { params: { path: { id } } }));
  }

  async addItem(name: string, kind: Item['kind']): Promise<Item> {
    const item = await ask(
      api.POST('/api/shots/{id}/items', { params: { path: { id: this.id } }, body: { name, kind } }),
    );
    this.view = { ...this.view!, items: [...this.items.filter((i) => i.id !== item.id), item] };
    return item;
  }
}
