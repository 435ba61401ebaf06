import type { Point } from '../../api/api';

/** The pointer over the picture. */
export interface Pointer {
  /** Its place in source pixels. */
  place(e: { clientX: number; clientY: number }): Point;
  /** Follows it until it is let go; end says whether it moved. */
  follow(e: PointerEvent, move: (p: Point, e: PointerEvent) => void, end: (moved: boolean) => void): void;
  /** Whether a press moves the picture. */
  pans(e: PointerEvent): boolean;
}
