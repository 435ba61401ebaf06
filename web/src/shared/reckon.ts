/**
 * The number that a text means in a field that has a value: 12, 1920/2, or a change of the
 * value: +4, *1.1, /2, and, in a field without negative numbers, -4. Undefined where it
 * means none. A comma is a point.
 */
export function reckon(text: string, value: number, signed = true): number | undefined {
  const t = text.replaceAll(',', '.').replace(/\s+/g, '');
  const change = signed ? /^[+*/]/ : /^[-+*/]/;
  const whole = change.test(t) ? value + t : t;
  if (!/^[-+]?(\d+\.?\d*|\.\d+)(e[-+]?\d+)?([-+*/][-+]?(\d+\.?\d*|\.\d+))*$/.test(whole)) return undefined;
  const parts = whole.match(/(?<![\d.])[-+]?(\d+\.?\d*|\.\d+)(e[-+]?\d+)?|[-+*/]/g)!;
  const sums = [Number(parts[0])];
  for (let i = 1; i < parts.length; i += 2) {
    const n = Number(parts[i + 1]);
    if (parts[i] === '*') sums.push(sums.pop()! * n);
    else if (parts[i] === '/') sums.push(sums.pop()! / n);
    else sums.push(parts[i] === '-' ? -n : n);
  }
  const sum = sums.reduce((a, b) => a + b);
  return Number.isFinite(sum) ? sum : undefined;
}
