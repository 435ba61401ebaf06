// Every action of the bench, with its keys: the keyboard and the searchable list
// are both made from this.
import type { Bench } from './bench.svelte';

export interface Action {
  name: string;
  keys: string[]; // as shown: "Shift+ArrowLeft", "I"
  run?: (b: Bench) => unknown; // absent where only the key itself makes sense
  held?: (b: Bench, down: boolean) => void; // while the key is down
}

export const actions: Action[] = [
  { name: 'Play or pause', keys: ['Space'], run: (b) => b.play(b.speed === 0 ? 1 : 0) },
  { name: 'Play backwards, again for faster', keys: ['J'], run: (b) => faster(b, -1) },
  { name: 'Pause', keys: ['K'], run: (b) => b.play(0) },
  { name: 'Play, again for faster', keys: ['L'], run: (b) => faster(b, 1) },
  { name: 'Next frame', keys: ['ArrowRight'], run: (b) => (b.play(0), b.seek(b.frame + 1)) },
  { name: 'Previous frame', keys: ['ArrowLeft'], run: (b) => (b.play(0), b.seek(b.frame - 1)) },
  { name: 'Ten frames on', keys: ['Shift+ArrowRight'], run: (b) => b.seek(b.frame + 10) },
  { name: 'Ten frames back', keys: ['Shift+ArrowLeft'], run: (b) => b.seek(b.frame - 10) },
  { name: 'First frame', keys: ['Home'], run: (b) => b.seek(0) },
  { name: 'Last frame', keys: ['End'], run: (b) => b.seek(b.last) },
  { name: 'Next key', keys: ['ArrowDown'], run: (b) => b.key(1) },
  { name: 'Previous key', keys: ['ArrowUp'], run: (b) => b.key(-1) },
  { name: 'Go to a frame or timecode', keys: ['G'], run: () => document.getElementById('goto')?.focus() },
  { name: 'Span begins here', keys: ['I'], run: (b) => b.setSpan('first') },
  { name: 'Span ends here', keys: ['O'], run: (b) => b.setSpan('last') },
  { name: 'Remove the key at this frame', keys: ['Delete'], run: (b) => b.removeKey() },
  { name: 'Move the cover by 1 px', keys: ['Alt+ArrowLeft', 'Alt+ArrowRight', 'Alt+ArrowUp', 'Alt+ArrowDown'] },
  { name: 'Move the cover by 10 px', keys: ['Alt+Shift+ArrowLeft', 'Alt+Shift+ArrowRight', 'Alt+Shift+ArrowUp', 'Alt+Shift+ArrowDown'] },
  { name: 'Draw a box', keys: ['B'], run: (b) => (b.tool = 'box') },
  { name: 'Draw an ellipse', keys: ['E'], run: (b) => (b.tool = 'ellipse') },
  { name: 'Put the tool down', keys: ['Escape'], run: (b) => ((b.tool = 'move'), (b.error = '')) },
  { name: 'Next item', keys: ['N'], run: (b) => next(b, 1) },
  { name: 'Previous item', keys: ['Shift+N'], run: (b) => next(b, -1) },
  { name: 'Step Outline', keys: ['Alt+1'], run: (b) => (b.step = 'outline') },
  { name: 'Step Follow', keys: ['Alt+2'], run: (b) => (b.step = 'follow') },
  { name: 'Step Conceal', keys: ['Alt+3'], run: (b) => (b.step = 'conceal') },
  { name: 'Fit the picture', keys: ['F'], run: (b) => (b.zoom = 0) },
  { name: 'Zoom to 100 %', keys: ['1'], run: (b) => (b.zoom = 1) },
  { name: 'Zoom to 200 %', keys: ['2'], run: (b) => (b.zoom = 2) },
  { name: 'Clean picture, while held', keys: ['C'], held: (b, down) => (b.clean = down) },
  { name: 'No overlays, while held', keys: ['X'], held: (b, down) => (b.bare = down) },
  { name: 'Undo', keys: ['Ctrl+Z'], run: (b) => b.undo() },
  { name: 'Redo', keys: ['Ctrl+Shift+Z'], run: (b) => b.redo() },
  { name: 'All actions and keys', keys: ['?'], run: () => document.dispatchEvent(new CustomEvent('all-actions')) },
];

function faster(b: Bench, way: 1 | -1) {
  const was = b.speed;
  const speed = Math.sign(was) === way ? Math.max(-4, Math.min(4, was * 2)) : way;
  if (was !== 0 && Math.sign(was) !== way) b.play(0);
  b.play(speed);
}

function next(b: Bench, way: number) {
  const i = b.items.findIndex((x) => x.id === b.item);
  if (b.items.length) b.item = b.items[(i + way + b.items.length) % b.items.length]!.id;
}

/** The name of what a key event presses, as actions write it. */
function pressed(e: KeyboardEvent): string {
  if (e.key === '?') return '?';
  const key = e.code === 'Space' ? 'Space' : e.code.startsWith('Digit') ? e.code.slice(5) : e.key.length === 1 ? e.key.toUpperCase() : e.key;
  return (e.ctrlKey || e.metaKey ? 'Ctrl+' : '') + (e.altKey ? 'Alt+' : '') + (e.shiftKey ? 'Shift+' : '') + key;
}

const amounts: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/** Answers a key; true when it was one of ours. */
export function press(b: Bench, e: KeyboardEvent): boolean {
  const t = e.target as HTMLElement;
  if (t.closest('dialog[open]') || (t.matches('input, textarea, select') && !t.matches('[type=range], [type=checkbox], [type=color]'))) return false;
  if (t.matches('[type=range]') && e.key.startsWith('Arrow')) return false;
  if (t.matches('button, a, [type=checkbox]') && (e.code === 'Space' || e.key === 'Enter')) return false;
  const name = pressed(e);
  if (e.altKey && amounts[e.key]) {
    const [x, y] = amounts[e.key]!;
    const by = e.shiftKey ? 10 : e.ctrlKey ? 0.1 : 1;
    b.nudge(x * by, y * by);
    return true;
  }
  const a = actions.find((x) => x.keys.includes(name));
  if (!a) return false;
  if (a.held) {
    if (!e.repeat) a.held(b, true);
  } else {
    a.run?.(b);
  }
  return true;
}

export function release(b: Bench, e: KeyboardEvent): void {
  actions.find((a) => a.held && a.keys.includes(e.key.toUpperCase()))?.held?.(b, false);
}
