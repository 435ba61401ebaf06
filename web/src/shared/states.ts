import type { State } from '../api/api';

/** The states of an item in a shot, in the order of the work: a word, and a form that
 * tells them apart without colour. */
export const states: Record<State, { name: string; mark: string; colour: string }> = {
  todo: { name: 'To do', mark: '○', colour: 'quiet' },
  work: { name: 'In work', mark: '◐', colour: '' },
  ready: { name: 'Ready', mark: '◆', colour: 'text-primary' },
  back: { name: 'Sent back', mark: '↩', colour: 'text-error' },
  approved: { name: 'Approved', mark: '✓', colour: 'text-success' },
  waived: { name: 'Waived', mark: '—', colour: 'text-success' },
};
export const order = Object.keys(states) as State[];
export const ended = (s: State) => s === 'approved' || s === 'waived';
