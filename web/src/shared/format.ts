import type { Item } from '../api/api';

export function bytes(n: number): string {
  for (const [unit, size] of [
    ['GB', 1e9],
    ['MB', 1e6],
    ['kB', 1e3],
  ] as const) {
    if (n >= size) return `${(n / size).toFixed(n / size < 10 ? 1 : 0)} ${unit}`;
  }
  return `${n} B`;
}

/** A number of things in words: one cover, 3 covers. */
export const counted = (n: number, one: string, many: string) => (n === 1 ? `one ${one}` : `${n} ${many}`);

export function duration(s: number): string {
  if (s < 90) return `${Math.max(Math.round(s), 0)} s`;
  return s < 5400 ? `${Math.round(s / 60)} min` : `${(s / 3600).toFixed(1)} h`;
}

/** The kinds of item, in words: all that the contract has. */
export const kinds = {
  plate: 'Plate',
  logo: 'Logo',
  sign: 'Sign',
  number: 'Number',
  text: 'On-screen text',
  face: 'Face',
  speech: 'Something said',
  other: 'Other',
} as const satisfies Record<Item['kind'], string>;
