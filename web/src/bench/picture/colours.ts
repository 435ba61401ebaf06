/** Lines on the picture: bright where selected, on a dark rim. */
export const bright = '#f0cd7c';
export const dark = '#161616';
export const light = '#ffffff';
export const course = '#9fc9ba';
export const conflict = '#e8684a';

/** How well a surface is known on a frame, by its letter. */
const surfaces: Record<string, string> = { a: light, g: '#8fd0b8', w: '#e2b45c', l: '#e8684a', o: '#8d8d8d' };
export const surface = (state: string) => surfaces[state] ?? '#8d8d8d';
