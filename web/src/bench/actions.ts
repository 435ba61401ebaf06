// Every action of the bench, with its keys: the keyboard and the searchable list
// are both made from this.
import type { Bench } from './bench.svelte';

export interface Action {
  name: string;
  keys: string[]; // as shown: "Shift+ArrowLeft", "I"
  run?: (bench: Bench) => unknown; // absent where only the key itself makes sense
  held?: (bench: Bench, down: boolean) => void; // while the key is down
}

const fast = [1, 2, 4];
const slow = [0.25, 0.5];

export const actions: Action[] = [
  { name: 'Play or pause', keys: ['Space'], run: (bench) => bench.playhead.play(bench.playhead.speed === 0 ? 1 : 0) },
  { name: 'Play backwards, again for faster', keys: ['J'], run: (bench) => bench.playhead.faster(-1, fast) },
  { name: 'Pause', keys: ['K'], run: (bench) => bench.playhead.play(0) },
  { name: 'Play, again for faster', keys: ['L'], run: (bench) => bench.playhead.faster(1, fast) },
  { name: 'Play slowly', keys: ['Shift+L'], run: (bench) => bench.playhead.faster(1, slow) },
  { name: 'Play backwards slowly', keys: ['Shift+J'], run: (bench) => bench.playhead.faster(-1, slow) },
  { name: 'Play around this frame', keys: ['Shift+Space'], run: (bench) => bench.playhead.around() },
  {
    name: 'Loop the span, or stop at its end',
    keys: ['Shift+K'],
    run: (bench) => (bench.playhead.loop = !bench.playhead.loop),
  },
  {
    name: 'Next frame',
    keys: ['ArrowRight'],
    run: (bench) => (bench.playhead.play(0), bench.playhead.seek(bench.playhead.frame + bench.playhead.step)),
  },
  {
    name: 'Previous frame',
    keys: ['ArrowLeft'],
    run: (bench) => (bench.playhead.play(0), bench.playhead.seek(bench.playhead.frame - bench.playhead.step)),
  },
  { name: 'Ten frames on', keys: ['Shift+ArrowRight'], run: (bench) => bench.playhead.seek(bench.playhead.frame + 10) },
  {
    name: 'Ten frames back',
    keys: ['Shift+ArrowLeft'],
    run: (bench) => bench.playhead.seek(bench.playhead.frame - 10),
  },
  { name: 'First frame', keys: ['Home'], run: (bench) => bench.playhead.seek(0) },
  { name: 'Last frame', keys: ['End'], run: (bench) => bench.playhead.seek(bench.shot.last) },
  {
    name: 'First frame of the span',
    keys: ['Shift+Home'],
    run: (bench) => bench.selection.cover && bench.playhead.seek(bench.selection.cover.span.first),
  },
  {
    name: 'Last frame of the span',
    keys: ['Shift+End'],
    run: (bench) => bench.selection.cover && bench.playhead.seek(bench.selection.cover.span.last),
  },
  { name: 'Next key', keys: ['ArrowDown'], run: (bench) => bench.keying.go(1) },
  { name: 'Previous key', keys: ['ArrowUp'], run: (bench) => bench.keying.go(-1) },
  { name: 'Go to a frame or timecode', keys: ['G'], run: () => document.getElementById('goto')?.focus() },

  { name: 'Add an item', keys: ['Insert'], run: () => document.getElementById('add-item')?.click() },
  { name: 'Next item', keys: ['PageDown'], run: (bench) => bench.selection.next(1) },
  { name: 'Previous item', keys: ['PageUp'], run: (bench) => bench.selection.next(-1) },
  { name: 'Draw a box', keys: ['B'], run: (bench) => bench.toolbox.take('box') },
  { name: 'Draw an ellipse', keys: ['E'], run: (bench) => bench.toolbox.take('ellipse') },
  { name: 'Draw four corners', keys: ['Q'], run: (bench) => bench.toolbox.take('corners') },
  { name: 'Draw a path', keys: ['P'], run: (bench) => bench.toolbox.take('path') },
  {
    name: 'Draw one more outline, or fit again',
    keys: ['Shift+B'],
    run: (bench) => bench.selection.cover && (bench.outlining.adding = !bench.outlining.adding),
  },
  {
    name: 'Close the path; draw in the middle; or: it fits, go on by halves',
    keys: ['Enter'],
    run: (bench) =>
      bench.toolbox.drawing?.open
        ? bench.toolbox.finish()
        : bench.toolbox.tool !== 'move' && (!bench.selection.cover || bench.outlining.adding)
          ? bench.drawInTheMiddle()
          : bench.looked.confirm(),
  },
  {
    name: 'Take back the last knot of an open path',
    keys: ['Backspace'],
    run: (bench) => bench.toolbox.drawing?.back(),
  },
  { name: 'Put the tool down', keys: ['Escape'], run: (bench) => bench.putDown() },
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
  { name: 'Larger by 1 %', keys: ['='], run: (bench) => bench.outlining.sizeBy(1.01, 1.01) },
  { name: 'Smaller by 1 %', keys: ['-'], run: (bench) => bench.outlining.sizeBy(1 / 1.01, 1 / 1.01) },
  { name: 'Turn by 0.5° clockwise', keys: ['.'], run: (bench) => bench.outlining.turnBy(0.5) },
  { name: 'Turn by 0.5° back', keys: [','], run: (bench) => bench.outlining.turnBy(-0.5) },
  {
    name: 'What a change is for: this frame or around it, from here on, all',
    keys: ['T'],
    run: (bench) => bench.keying.turnScope(),
  },
  { name: 'Duplicate the cover, for another item', keys: ['Ctrl+D'], run: (bench) => bench.duplicate() },
  {
    name: 'Lock or unlock the cover',
    keys: ['U'],
    run: (bench) => bench.selection.edit({ do: 'lock', on: !bench.selection.cover?.locked }),
  },
  {
    name: 'What was found in this shot',
    keys: ['Alt+F'],
    run: (bench) => bench.found.toggle(),
  },
  { name: 'The next that was found', keys: ['Alt+J'], run: (bench) => bench.found.show(bench.found.at + 1) },
  { name: 'The one before', keys: ['Alt+K'], run: (bench) => bench.found.show(bench.found.at - 1) },
  { name: 'Cover what was found', keys: ['Alt+C'], run: (bench) => bench.found.accept() },
  { name: 'What was found needs no cover', keys: ['Alt+N'], run: (bench) => bench.found.unneeded() },
  { name: 'Look for what it hides in other shots', keys: ['Alt+E'], run: (bench) => bench.lookElsewhere() },
  {
    name: 'Say yes to the draft',
    keys: ['Alt+Y'],
    run: (bench) => bench.selection.cover?.draft && bench.selection.edit({ do: 'confirm' }),
  },
  {
    name: 'Hide its outline, or show it',
    keys: ['Shift+U'],
    run: (bench) => bench.selection.edit({ do: 'unsee', on: !bench.selection.cover?.unseen }),
  },
  {
    name: 'Only this outline, or all',
    keys: ['A'],
    run: (bench) => bench.selection.edit({ do: 'only', on: !bench.session.document?.covers.some((c) => c.unseen) }),
  },

  {
    name: 'Track the surface through the span, or again',
    keys: ['V'],
    run: (bench) => ((bench.steps.current = 'follow'), bench.following.follow('both')),
  },
  {
    name: 'Track anew from this frame',
    keys: ['Alt+V'],
    run: (bench) => ((bench.steps.current = 'follow'), bench.following.anew()),
  },
  {
    name: 'Track forward from here',
    keys: ['Shift+ArrowDown'],
    run: (bench) => ((bench.steps.current = 'follow'), bench.following.follow('forward')),
  },
  {
    name: 'Track backward from here',
    keys: ['Shift+ArrowUp'],
    run: (bench) => ((bench.steps.current = 'follow'), bench.following.follow('back')),
  },
  { name: 'Track forward by one frame', keys: ['Ctrl+ArrowRight'], run: (bench) => bench.following.follow('one on') },
  { name: 'Track backward by one frame', keys: ['Ctrl+ArrowLeft'], run: (bench) => bench.following.follow('one back') },
  { name: 'Stop the tracker; what was done stays', keys: ['Shift+V'], run: (bench) => bench.following.stop() },
  {
    name: 'Put the surface right here',
    keys: ['R'],
    run: (bench) => ((bench.steps.current = 'follow'), bench.following.correctHere()),
  },
  {
    name: 'Make what was put right an anchor',
    keys: ['Shift+R'],
    run: (bench) => bench.following.correction && bench.following.anchor(),
  },
  { name: 'Go to the next weak or lost frame', keys: ['N'], run: (bench) => bench.following.doubtful(1) },
  { name: 'Go to the weak or lost frame before', keys: ['Shift+N'], run: (bench) => bench.following.doubtful(-1) },
  { name: 'Draw the surface apart from the cover', keys: ['Shift+Q'], run: (bench) => bench.toolbox.take('surface') },
  {
    name: 'The steady strip, or not',
    keys: ['Shift+S'],
    run: (bench) => (bench.viewport.strip = !bench.viewport.strip),
  },

  { name: 'Draw what passes in front: a path', keys: ['Shift+H'], run: (bench) => bench.holdouts.draw('path') },
  {
    name: 'Mark the next frame of the crossing here',
    keys: ['Shift+M'],
    run: (bench) =>
      bench.selection.holdout &&
      !bench.holdouts.proposed &&
      bench.holdouts.next >= 0 &&
      bench.holdouts.mark(bench.holdouts.next),
  },
  {
    name: 'Look for what passes in front',
    keys: ['Shift+F'],
    run: (bench) => (bench.steps.go('hold'), bench.holdouts.propose()),
  },
  {
    name: 'Accept what was found on this stretch, or put it back',
    keys: ['Shift+Enter'],
    run: (bench) => bench.holdouts.toggle(),
  },
  { name: 'Brush: add to what was found', keys: ['['], run: (bench) => bench.holdouts.brush(true) },
  { name: 'Brush: take away from it', keys: [']'], run: (bench) => bench.holdouts.brush(false) },
  { name: 'Select the item’s cover again', keys: ['Shift+Escape'], run: (bench) => bench.holdouts.close() },

  { name: 'Sound on or off', keys: ['Alt+Space'], run: (bench) => bench.sounding.setOn(!bench.sounding.on) },
  { name: 'Mark a passage of the sound', keys: ['Alt+A'], run: (bench) => bench.sounding.addHere() },
  { name: 'Marker here, with a note', keys: ['Alt+M'], run: (bench) => bench.markers.add() },
  { name: 'Next marker', keys: ['Alt+PageDown'], run: (bench) => bench.markers.go(1) },
  { name: 'Marker before', keys: ['Alt+PageUp'], run: (bench) => bench.markers.go(-1) },
  { name: 'Span begins here', keys: ['I'], run: (bench) => bench.setEdge('first') },
  { name: 'Span ends here', keys: ['O'], run: (bench) => bench.setEdge('last') },
  { name: 'Add or remove the placement’s key', keys: ['Y'], run: (bench) => bench.keying.toggle('placement') },
  { name: 'Hold from the key before up to here', keys: ['Shift+Y'], run: (bench) => bench.keying.hold() },
  {
    name: 'Remove the knots or keys that are picked, or the key here',
    keys: ['Delete'],
    run: (bench) =>
      bench.selection.knots.indexes.length ? bench.selection.editKnots({ do: 'removeKnots' }) : bench.keying.remove(),
  },
  { name: 'Pick all keys of the cover', keys: ['Ctrl+A'], run: (bench) => (bench.keying.picked = bench.keying.keys) },
  { name: 'Copy the keys', keys: ['Ctrl+C'], run: (bench) => bench.keying.copy() },
  { name: 'Paste the keys at this frame', keys: ['Ctrl+V'], run: (bench) => bench.keying.paste() },
  { name: 'Paste onto all keys', keys: ['Ctrl+Shift+V'], run: (bench) => bench.keying.paste(true) },
  { name: 'The key goes on evenly', keys: ['Shift+1'], run: (bench) => bench.keying.ease('') },
  { name: 'The key is held', keys: ['Shift+2'], run: (bench) => bench.keying.ease('held') },
  { name: 'The key is eased', keys: ['Shift+3'], run: (bench) => bench.keying.ease('eased') },
  {
    name: 'Show the path of the cover’s centre',
    keys: ['Shift+P'],
    run: (bench) => (bench.viewport.course = !bench.viewport.course),
  },

  { name: 'Step Outline', keys: ['Alt+1'], run: (bench) => bench.steps.go('outline') },
  { name: 'Step Follow', keys: ['Alt+2'], run: (bench) => bench.steps.go('follow') },
  { name: 'Step Hold out', keys: ['Alt+3'], run: (bench) => bench.steps.go('hold') },
  { name: 'Step Conceal', keys: ['Alt+4'], run: (bench) => bench.steps.go('conceal') },
  { name: 'Step Check', keys: ['Alt+5'], run: (bench) => bench.steps.go('check') },
  { name: 'Go to the next finding', keys: ['Ctrl+ArrowDown'], run: (bench) => bench.checking.next(1) },
  { name: 'Go to the finding before', keys: ['Ctrl+ArrowUp'], run: (bench) => bench.checking.next(-1) },
  {
    name: 'Mend the finding, or go to where it is mended',
    keys: ['Shift+G'],
    run: (bench) => bench.checking.mendPicked(),
  },
  { name: 'Check the shot now', keys: ['Ctrl+Enter'], run: (bench) => bench.checking.run() },
  {
    name: 'The item is ready for the reviewer',
    keys: ['Ctrl+Shift+Enter'],
    run: (bench) => bench.checking.move('ready'),
  },
  { name: 'Deliver', keys: ['Shift+D'], run: () => document.dispatchEvent(new CustomEvent('deliver')) },
  { name: 'Guide: a first job', keys: ['Alt+G'], run: (bench) => (bench.viewport.guide = !bench.viewport.guide) },
  {
    name: 'Stills along the timeline',
    keys: ['Alt+S'],
    run: (bench) => (bench.viewport.stills = !bench.viewport.stills),
  },
  {
    name: 'Contact sheet of the span',
    keys: ['0'],
    run: (bench) => ((bench.viewport.sheet = !bench.viewport.sheet), (bench.viewport.sheeted = true)),
  },
  { name: 'Fit the picture', keys: ['F'], run: (bench) => bench.viewport.fit() },
  { name: 'The whole shot on the timeline', keys: ['Shift+Z'], run: (bench) => bench.scale.fit() },
  { name: 'Zoom to the item', keys: ['Z'], run: (bench) => bench.zoomToSelection() },
  { name: 'Zoom to 100 %', keys: ['1'], run: (bench) => (bench.viewport.zoom = 1) },
  { name: 'Zoom to 200 %', keys: ['2'], run: (bench) => (bench.viewport.zoom = 2) },
  { name: 'Zoom to 400 %', keys: ['4'], run: (bench) => (bench.viewport.zoom = 4) },
  {
    name: 'Steady view: the picture moves under the cover',
    keys: ['S'],
    run: (bench) => bench.setSteady(!bench.viewport.steady),
  },
  {
    name: 'Move the picture by dragging, while held',
    keys: ['H'],
    held: (bench, down) => (bench.viewport.panning = down),
  },
  { name: 'Clean picture, while held', keys: ['C'], held: (bench, down) => (bench.viewport.clean = down) },
  { name: 'Clean picture, or concealed', keys: ['Shift+C'], run: (bench) => bench.viewport.toggle('clean') },
  { name: 'Matte, or concealed', keys: ['M'], run: (bench) => bench.viewport.toggle('matte') },
  { name: 'Side by side, or concealed', keys: ['D'], run: (bench) => bench.viewport.toggle('side') },
  { name: 'Wipe, or concealed', keys: ['W'], run: (bench) => bench.viewport.toggle('wipe') },
  {
    name: 'Switch the selected treatment off, or on',
    keys: ['Shift+T'],
    run: (bench) => bench.concealing.treatment && bench.concealing.change((t) => ({ ...t, off: !t.off || undefined })),
  },
  { name: 'Another kind of treatment', keys: ['Shift+A'], run: (bench) => bench.concealing.next() },
  { name: 'No overlays, while held', keys: ['X'], held: (bench, down) => (bench.viewport.hidesOverlays = down) },
  {
    name: 'Overlays on or off',
    keys: ['Shift+X'],
    run: (bench) => (bench.viewport.overlays = !bench.viewport.overlays),
  },
  { name: 'Undo', keys: ['Ctrl+Z'], run: (bench) => bench.session.undo() },
  { name: 'Redo', keys: ['Ctrl+Shift+Z'], run: (bench) => bench.session.redo() },
  {
    name: 'All changes, to go back to one',
    keys: ['Ctrl+Y'],
    run: () => document.dispatchEvent(new CustomEvent('all-changes')),
  },
  { name: 'All actions and keys', keys: ['?'], run: () => document.dispatchEvent(new CustomEvent('all-actions')) },
];

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
export function press(bench: Bench, e: KeyboardEvent): boolean {
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
    bench.outlining.nudge(x * by, y * by);
    return true;
  }
  const a = actions.find((x) => x.keys.includes(name));
  if (!a) return false;
  if (a.held) {
    if (!e.repeat) a.held(bench, true);
  } else {
    a.run?.(bench);
  }
  return true;
}

export function release(bench: Bench, e: KeyboardEvent): void {
  actions.find((a) => a.held && a.keys.includes(e.key.toUpperCase()))?.held?.(bench, false);
}
