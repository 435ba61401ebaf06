// Dark or light: the bench and review are dark, for pictures are judged there, and lists like
// paper, until somebody chooses otherwise for the one or the other.
import { remembered, type Shade } from './remembered';
import { route } from './route.svelte';

const themes: Record<Shade, string> = { dark: 'celator', light: 'celator-paper' };

class Look {
  private chosen = $state({ pictures: remembered.pictures, lists: remembered.lists });
  private kind: 'pictures' | 'lists' = $derived(
    route.view === 'shots' || route.view === 'review' ? 'pictures' : 'lists',
  );

  get shade(): Shade {
    return this.chosen[this.kind];
  }
  get theme(): string {
    return themes[this.shade];
  }
  /** The other shade, for all pages of the kind of this one. */
  change = (): void => {
    remembered[this.kind] = this.chosen[this.kind] = this.shade === 'dark' ? 'light' : 'dark';
  };
}
export const look = new Look();
