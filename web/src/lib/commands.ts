// Every action of the bench, with its keys: the keyboard and the searchable list
// are both made from this.
import type { Bench, Look } from './bench.svelte';

export interface Action {
  name: string;
  keys: string[]; // as shown: "Shift+ArrowLeft", "I"
  run?: (b: Bench) => unknown; // absent where only the key itself makes sense
  held?: (b: Bench, down: boolean) => void; // while the key is down
}

const fast = [1, 2, 4];
const slow = [0.25, 0.5];

export const actions: Action[] = [
  { name: 'Play or pause', keys: ['Space'], run: (b) => b.play(b.speed === 0 ? 1 : 0) },
  { name: 'Play backwards, again for faster', keys: ['J'], run: (b) => b.faster(-1, fast) },
  { name: 'Pause', keys: ['K'], run: (b) => b.play(0) },
  { name: 'Play, again for faster', keys: ['L'], run: (b) => b.faster(1, fast) },
  { name: 'Play slowly', keys: ['Shift+L'], run: (b) => b.faster(1, slow) },
  { name: 'Play backwards slowly', keys: ['Shift+J'], run: (b) => b.faster(-1, slow) },
  { name: 'Play around this frame', keys: ['Shift+Space'], run: (b) => b.around() },
  { name: 'Loop the span, or stop at its end', keys: ['Shift+K'], run: (b) => (b.loop = !b.loop) },
  { name: 'Next frame', keys: ['ArrowRight'], run: (b) => (b.play(0), b.seek(b.frame + 1)) },
  { name: 'Previous frame', keys: ['ArrowLeft'], run: (b) => (b.play(0), b.seek(b.frame - 1)) },
  { name: 'Ten frames on', keys: ['Shift+ArrowRight'], run: (b) => b.seek(b.frame + 10) },
  { name: 'Ten frames back', keys: ['Shift+ArrowLeft'], run: (b) => b.seek(b.frame - 10) },
  { name: 'First frame', keys: ['Home'], run: (b) => b.seek(0) },
  { name: 'Last frame', keys: ['End'], run: (b) => b.seek(b.last) },
  { name: 'First frame of the span', keys: ['Shift+Home'], run: (b) => b.cover && b.seek(b.cover.span.first) },
  { name: 'Last frame of the span', keys: ['Shift+End'], run: (b) => b.cover && b.seek(b.cover.span.last) },
  { name: 'Next key', keys: ['ArrowDown'], run: (b) => b.key(1) },
  { name: 'Previous key', keys: ['ArrowUp'], run: (b) => b.key(-1) },
  { name: 'Go to a frame or timecode', keys: ['G'], run: () => document.getElementById('goto')?.focus() },

  { name: 'Add an item', keys: ['Insert'], run: () => document.getElementById('add-item')?.click() },
  { name: 'Next item', keys: ['PageDown'], run: (b) => b.nextItem(1) },
  { name: 'Previous item', keys: ['PageUp'], run: (b) => b.nextItem(-1) },
  { name: 'Draw a box', keys: ['B'], run: (b) => b.takeUp('box') },
  { name: 'Draw an ellipse', keys: ['E'], run: (b) => b.takeUp('ellipse') },
  { name: 'Draw four corners', keys: ['Q'], run: (b) => b.takeUp('corners') },
  { name: 'Draw a path', keys: ['P'], run: (b) => b.takeUp('path') },
  { name: 'Draw one more outline, or fit again', keys: ['Shift+B'], run: (b) => b.cover && (b.adding = !b.adding) },
  {
    name: 'Close the path; draw in the middle; or: it fits, go on by halves',
    keys: ['Enter'],
    run: (b) =>
      b.drawing?.open ? b.finish() : b.tool !== 'move' && (!b.cover || b.adding) ? b.drawInTheMiddle() : b.fits(),
  },
  { name: 'Take back the last knot of an open path', keys: ['Backspace'], run: (b) => b.drawing?.back() },
  { name: 'Put the tool down', keys: ['Escape'], run: (b) => putDown(b) },
  {
    name: 'Move the knots or the cover by 1 px',
    keys: ['Alt+ArrowLeft', 'Alt+ArrowRight', 'Alt+ArrowUp', 'Alt+ArrowDown'],
  },
  {
    name: 'Move them by 10 px',
    keys: ['Alt+Shift+ArrowLeft', 'Alt+Shift+ArrowRight', 'Alt+Shift+ArrowUp', 'Alt+Shift+ArrowDown'],
  },
  {
    name: 'Move them by 0.1 px',
    keys: ['Ctrl+Alt+ArrowLeft', 'Ctrl+Alt+ArrowRight', 'Ctrl+Alt+ArrowUp', 'Ctrl+Alt+ArrowDown'],
  },
  { name: 'Larger by 1 %', keys: ['='], run: (b) => b.sizeBy(1.01, 1.01) },
  { name: 'Smaller by 1 %', keys: ['-'], run: (b) => b.sizeBy(1 / 1.01, 1 / 1.01) },
  { name: 'Turn by 0.5° clockwise', keys: ['.'], run: (b) => b.turnBy(0.5) },
  { name: 'Turn by 0.5° back', keys: [','], run: (b) => b.turnBy(-0.5) },
  {
    name: 'Change this frame, or the whole span',
    keys: ['T'],
    run: (b) => (b.shapeScope = b.shapeScope === 'frame' ? 'span' : 'frame'),
  },
  { name: 'Lock or unlock the cover', keys: ['U'], run: (b) => b.onCover({ do: 'lock', on: !b.cover?.locked }) },
  {
    name: 'Put its outline away, or show it',
    keys: ['Shift+U'],
    run: (b) => b.onCover({ do: 'unsee', on: !b.cover?.unseen }),
  },
  {
    name: 'Only this outline, or all',
    keys: ['A'],
    run: (b) => b.onCover({ do: 'only', on: !b.document?.covers.some((c) => c.unseen) }),
  },

  {
    name: 'Track the surface through the span, or anew',
    keys: ['V'],
    run: (b) => ((b.step = 'follow'), b.follows.follow('both')),
  },
  {
    name: 'Track on from here',
    keys: ['Shift+ArrowDown'],
    run: (b) => ((b.step = 'follow'), b.follows.follow('forward')),
  },
  {
    name: 'Track back from here',
    keys: ['Shift+ArrowUp'],
    run: (b) => ((b.step = 'follow'), b.follows.follow('back')),
  },
  { name: 'Track one frame on', keys: ['Ctrl+ArrowRight'], run: (b) => b.follows.follow('one on') },
  { name: 'Track one frame back', keys: ['Ctrl+ArrowLeft'], run: (b) => b.follows.follow('one back') },
  { name: 'Stop the tracker; what was done stays', keys: ['Shift+V'], run: (b) => b.follows.stop() },
  { name: 'Put the surface right here', keys: ['R'], run: (b) => ((b.step = 'follow'), b.follows.mend()) },
  { name: 'Make what was put right an anchor', keys: ['Shift+R'], run: (b) => b.follows.mending && b.follows.anchor() },
  { name: 'Go to the next weak or lost frame', keys: ['N'], run: (b) => b.follows.doubtful(1) },
  { name: 'Go to the weak or lost frame before', keys: ['Shift+N'], run: (b) => b.follows.doubtful(-1) },
  { name: 'Draw the surface apart from the cover', keys: ['Shift+Q'], run: (b) => b.takeUp('surface') },
  { name: 'The steady strip, or not', keys: ['Shift+S'], run: (b) => (b.strip = !b.strip) },

  { name: 'Draw what passes in front: a path', keys: ['Shift+H'], run: (b) => b.holds.draw('path') },
  {
    name: 'Mark the next frame of the crossing here',
    keys: ['Shift+M'],
    run: (b) => b.holds.cover && !b.holds.proposed && b.holds.next >= 0 && b.holds.mark(b.holds.next),
  },
  { name: 'Look for what passes in front', keys: ['Shift+F'], run: (b) => (b.go('hold'), b.holds.propose()) },
  {
    name: 'Accept what was found on this stretch, or put it back',
    keys: ['Shift+Enter'],
    run: (b) => b.holds.toggle(),
  },
  { name: 'Brush: add to what was found', keys: ['['], run: (b) => b.holds.brush(true) },
  { name: 'Brush: take away from it', keys: [']'], run: (b) => b.holds.brush(false) },
  { name: 'The item’s cover in hand again', keys: ['Shift+Escape'], run: (b) => b.holds.close() },

  { name: 'Span begins here', keys: ['I'], run: (b) => b.setSpan('first') },
  { name: 'Span ends here', keys: ['O'], run: (b) => b.setSpan('last') },
  { name: 'Add or remove the placement’s key', keys: ['Y'], run: (b) => b.toggleKey('placement') },
  {
    name: 'Remove the knots or keys that are picked, or the key here',
    keys: ['Delete'],
    run: (b) => (b.picked.knots.length ? b.onKnots({ do: 'removeKnots' }) : b.removeKeys()),
  },
  { name: 'Pick all keys of the cover', keys: ['Ctrl+A'], run: (b) => (b.pins = b.keys) },
  { name: 'Copy the keys', keys: ['Ctrl+C'], run: (b) => b.copyKeys() },
  { name: 'Paste the keys at this frame', keys: ['Ctrl+V'], run: (b) => b.paste() },
  { name: 'Paste onto all keys', keys: ['Ctrl+Shift+V'], run: (b) => b.paste(true) },
  { name: 'The key goes on evenly', keys: ['Shift+1'], run: (b) => b.ease('') },
  { name: 'The key is held', keys: ['Shift+2'], run: (b) => b.ease('held') },
  { name: 'The key is eased', keys: ['Shift+3'], run: (b) => b.ease('eased') },
  { name: 'Show the path of the cover’s centre', keys: ['Shift+P'], run: (b) => (b.course = !b.course) },

  { name: 'Step Outline', keys: ['Alt+1'], run: (b) => b.go('outline') },
  { name: 'Step Follow', keys: ['Alt+2'], run: (b) => b.go('follow') },
  { name: 'Step Hold out', keys: ['Alt+3'], run: (b) => b.go('hold') },
  { name: 'Step Conceal', keys: ['Alt+4'], run: (b) => b.go('conceal') },
  { name: 'Step Check', keys: ['Alt+5'], run: (b) => b.go('check') },
  { name: 'Go to the next finding', keys: ['Ctrl+ArrowDown'], run: (b) => b.checks.next(1) },
  { name: 'Go to the finding before', keys: ['Ctrl+ArrowUp'], run: (b) => b.checks.next(-1) },
  { name: 'Mend the finding, or go to where it is mended', keys: ['Shift+G'], run: (b) => b.checks.mendPicked() },
  { name: 'Check the shot now', keys: ['Ctrl+Enter'], run: (b) => b.checks.run() },
  { name: 'The item is ready for the reviewer', keys: ['Ctrl+Shift+Enter'], run: (b) => b.checks.move('ready') },
  { name: 'Fit the picture', keys: ['F'], run: (b) => ((b.zoom = 0), (b.centre = undefined)) },
  { name: 'Zoom to the item', keys: ['Z'], run: (b) => b.zoomToItem() },
  { name: 'Zoom to 100 %', keys: ['1'], run: (b) => (b.zoom = 1) },
  { name: 'Zoom to 200 %', keys: ['2'], run: (b) => (b.zoom = 2) },
  { name: 'Zoom to 400 %', keys: ['4'], run: (b) => (b.zoom = 4) },
  { name: 'Steady view: the picture moves under the cover', keys: ['S'], run: (b) => b.setSteady(!b.steady) },
  { name: 'Move the picture by dragging, while held', keys: ['H'], held: (b, down) => (b.hand = down) },
  { name: 'Clean picture, while held', keys: ['C'], held: (b, down) => (b.clean = down) },
  { name: 'Clean picture, or concealed', keys: ['Shift+C'], run: (b) => toggle(b, 'clean') },
  { name: 'Matte, or concealed', keys: ['M'], run: (b) => toggle(b, 'matte') },
  { name: 'Side by side, or concealed', keys: ['D'], run: (b) => toggle(b, 'side') },
  { name: 'Wipe, or concealed', keys: ['W'], run: (b) => toggle(b, 'wipe') },
  {
    name: 'Switch the treatment in hand off, or on',
    keys: ['Shift+T'],
    run: (b) => b.conceals.treatment && b.conceals.change((t) => ({ ...t, off: !t.off || undefined })),
  },
  { name: 'Another kind of treatment', keys: ['Shift+A'], run: (b) => b.conceals.next() },
  { name: 'No overlays, while held', keys: ['X'], held: (b, down) => (b.bare = down) },
  { name: 'Overlays on or off', keys: ['Shift+X'], run: (b) => (b.overlays = !b.overlays) },
  { name: 'Undo', keys: ['Ctrl+Z'], run: (b) => b.undo() },
  { name: 'Redo', keys: ['Ctrl+Shift+Z'], run: (b) => b.redo() },
  {
    name: 'All changes, to go back to one',
    keys: ['Ctrl+Y'],
    run: () => document.dispatchEvent(new CustomEvent('all-changes')),
  },
  { name: 'All actions and keys', keys: ['?'], run: () => document.dispatchEvent(new CustomEvent('all-actions')) },
];

function toggle(b: Bench, look: Look) {
  b.look = b.look === look ? 'concealed' : look;
}

function putDown(b: Bench) {
  b.error = '';
  const d = b.drawing;
  if (d?.open) {
    b.drawing = undefined;
    b.error = 'What was drawn was discarded.';
    return;
  }
  b.follows.mending = undefined;
  b.follows.apart = undefined;
  b.tool = 'move';
  b.adding = false;
  b.picked = { outline: '', knots: [] };
  b.pins = [];
}

/** The name of what a key event presses, as actions write it. */
function pressed(e: KeyboardEvent): string {
  if (e.key === '?') return '?';
  const key =
    e.code === 'Space'
      ? 'Space'
      : e.code.startsWith('Digit')
        ? e.code.slice(5)
        : e.key.length === 1
          ? e.key.toUpperCase()
          : e.key;
  return (e.ctrlKey || e.metaKey ? 'Ctrl+' : '') + (e.altKey ? 'Alt+' : '') + (e.shiftKey ? 'Shift+' : '') + key;
}

const amounts: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Answers a key; true when it was one of ours. */
export function press(b: Bench, e: KeyboardEvent): boolean {
  const t = e.target as HTMLElement;
  if (
    t.closest('dialog[open]') ||
    (t.matches('input, textarea, select') && !t.matches('[type=range], [type=checkbox], [type=color]'))
  )
    return false;
  if (t.matches('[type=range]') && e.key.startsWith('Arrow')) return false;
  if (t.matches('button, a, [type=checkbox]') && (e.code === 'Space' || e.key === 'Enter')) return false;
  if (e.key === 'c' && e.ctrlKey && getSelection()?.toString()) return false;
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
