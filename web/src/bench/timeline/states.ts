// How the frames of a row are drawn.

/** A bar with a notch below: a severe finding. */
const notch = '45%,calc(50% + 5px) 45%,50% 100%,calc(50% - 5px) 45%,0 45%';
export const notched = `background:var(--severe);clip-path:polygon(0 0,100% 0,100% ${notch})`;

/** States of a followed frame as they lie on the row; a good one is the row itself. */
export const states: Record<string, { name: string; fill: string; more: string }> = {
  w: { name: 'Weak', fill: 'repeating-linear-gradient(135deg,var(--ground) 0 3px,var(--weak) 3px 6px)', more: '' },
  l: {
    name: 'Lost',
    fill: 'var(--lost)',
    more: 'clip-path:polygon(0 0,100% 0,100% 100%,calc(50% + 4px) 100%,50% 45%,calc(50% - 4px) 100%,0 100%)',
  },
  o: {
    name: 'Outside the picture',
    fill: 'var(--ground)',
    more: 'border-top:1px dashed var(--slat);border-bottom:1px dashed var(--slat)',
  },
  '-': { name: 'Not followed', fill: 'var(--ground)', more: 'border-bottom:1px solid var(--slat-off)' },
};

/** The stretches of a track that are not good: state, first and last frame. */
export function stretches(letters: string, at: number, first: number, last: number): [string, number, number][] {
  const out: [string, number, number][] = [];
  for (let f = first; f <= last; f++) {
    const c = letters[f - at] ?? '-';
    if (c === 'g' || c === 'a') continue;
    const end = out.at(-1);
    if (end && end[0] === c && end[2] === f - 1) end[2] = f;
    else out.push([c, f, f]);
  }
  return out;
}

/** What lies above the confidence of each frame that was found, as SVG path data. */
export function doubt(known: { states: string; first: number; sure: number[] }, first: number, last: number): string {
  let d = 'M0 0';
  for (let f = first; f <= last; f++) {
    const c = known.states[f - known.first] ?? '-';
    const top = 'agw'.includes(c) ? 1 - (known.sure[f - known.first] ?? 1) : 0;
    d += `V${top.toFixed(2)}h1`;
  }
  return d + 'V0Z';
}

/** Runs of consecutive frames. */
export function runs(frames: number[]): [number, number][] {
  const out: [number, number][] = [];
  for (const f of frames) {
    const l = out.at(-1);
    if (l && l[1] === f - 1) l[1] = f;
    else out.push([f, f]);
  }
  return out;
}
