// What the benches of the interface measured goes into docs/benchmarks.md by itself, so that
// no figure there is older than the last run that measured it.
import { readFileSync, writeFileSync } from 'node:fs';

const page = '../docs/benchmarks.md';
const begin = '<!-- written by make bench-interface: begin -->';
const end = '<!-- written by make bench-interface: end -->';

/** A value of a sorted list, by its share from below. */
export const quantile = (xs: number[], q: number): number =>
  [...xs].sort((a, b) => a - b)[Math.min(Math.floor(xs.length * q), xs.length - 1)]!;

/** Durations in words: the middle, the 95th of a hundred, the worst. */
export const ms = (xs: number[]): string =>
  `median ${quantile(xs, 0.5).toFixed(0)} ms, p95 ${quantile(xs, 0.95).toFixed(0)} ms, ` +
  `worst ${Math.max(...xs).toFixed(0)} ms (${xs.length} times)`;

/** Enters what was measured, in place of what an earlier run entered for the same. */
export function measured(what: string, asked: string, figure: string): void {
  console.log(`${what}: ${figure}${asked && ` (asked ${asked})`}`);
  const text = readFileSync(page, 'utf8');
  const [from, to] = [text.indexOf(begin), text.indexOf(end)];
  if (from < 0 || to < from) throw new Error(`${page} has no place for figures`);
  const rows = text
    .slice(from + begin.length, to)
    .split('\n')
    .filter((l) => l.startsWith('| ') && !l.startsWith('| what'));
  const row = `| ${what} | ${asked} | ${figure} |`;
  const at = rows.findIndex((l) => l.startsWith(`| ${what} |`));
  if (at < 0) rows.push(row);
  else rows[at] = row;
  const table = ['', '', '| what | asked | measured |', '|---|---|---|', ...rows, '', ''].join('\n');
  writeFileSync(page, text.slice(0, from + begin.length) + table + text.slice(to));
}
