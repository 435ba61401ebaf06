// How the picture is looked at: zoom, place, view mode, and what is drawn over it.
import type { Point } from '../api/api';

export type ViewMode = 'concealed' | 'clean' | 'matte' | 'side' | 'wipe' | 'pair';

export class Viewport {
  zoom = $state(0); // screen pixels for a source pixel; 0 fits
  centre = $state.raw<Point>(); // of the view, in picture coordinates; absent: the picture's
  woven = $state(false); // of interlaced pictures both fields are shown, not one
  steady = $state(false); // the view stays on the selected cover
  mode = $state<ViewMode>('concealed');
  overlays = $state(true);
  stills = $state(false); // along the timeline
  strip = $state(true); // the steady strip
  stripLarge = $state(false);
  stripDiffers = $state(false); // from the reference, instead of the picture
  sheet = $state(false); // the contact sheet, over the picture
  sheeted = $state(false); // it was looked at
  guide = $state(new URLSearchParams(location.search).has('guide'));
  course = $state(false); // the path of the cover's centre is shown
  room = $state.raw({ w: 1, h: 1 }); // of the picture on the screen, px
  full = false; // the picture is shown at the source's size

  // While a key is held.
  clean = $state(false);
  hidesOverlays = $state(false);
  panning = $state(false); // dragging moves the picture

  get shown(): ViewMode {
    return this.clean ? 'clean' : this.mode;
  }

  /** A view mode, or the concealed picture where it is shown already. */
  toggle(mode: ViewMode): void {
    this.mode = this.mode === mode ? 'concealed' : mode;
  }
  release(): void {
    this.clean = this.hidesOverlays = this.panning = false;
  }
  fit(): void {
    this.zoom = 0;
    this.centre = undefined;
  }

  /** Shows a box of that centre and size as large as suits it. */
  zoomTo(centre: Point, size: Point): void {
    const half = Math.min((0.5 * this.room.w) / size.x, (0.5 * this.room.h) / size.y);
    this.zoom = Math.min(Math.max(half, 0.25), 8);
    if (this.zoom >= 2) this.zoom = Math.floor(this.zoom);
    this.centre = centre;
  }
}
