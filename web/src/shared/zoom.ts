/** How much larger an element is drawn than its own pixels (see app.css): pointers tell the
 * screen's, sizes and places are set in its own. */
export const zoomOf = (e: Element): number => (e as Element & { readonly currentCSSZoom?: number }).currentCSSZoom ?? 1;
