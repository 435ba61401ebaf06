import type { State } from '../api/api';

export type StateName = State;

const hatched = (a: string, b: string) => `repeating-linear-gradient(135deg,${a} 0 3px,${b} 3px 6px)`;

/** The states of an item in a shot, in the order of the work: a word, a form that tells
 * them apart without colour, and how a stretch of a bar is filled. */
export const states: Record<State, { name: string; mark: string; colour: string; fill: string }> = {
  todo: { name: 'To do', mark: '○', colour: 'quiet', fill: '#c9c9c4' },
  work: { name: 'In work', mark: '◐', colour: '', fill: hatched('#8d8d86', '#c9c9c4') },
  ready: { name: 'Ready', mark: '◆', colour: 'text-primary', fill: '#b8964c' },
  back: { name: 'Sent back', mark: '↩', colour: 'text-error', fill: hatched('#b3402a', '#e0a598') },
  approved: { name: 'Approved', mark: '✓', colour: 'text-success', fill: '#3f7a66' },
  waived: { name: 'Waived', mark: '—', colour: 'text-success', fill: hatched('#3f7a66', '#9fc0b5') },
};
export const order = Object.keys(states) as State[];
export const ended = (s: State) => s === 'approved' || s === 'waived';
