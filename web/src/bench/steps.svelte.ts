import type { Selection } from './selection.svelte';
import type { Toolbox } from './toolbox.svelte';

export type Step = 'outline' | 'follow' | 'hold' | 'conceal' | 'check';

/** The step of the work whose card is shown. */
export class Steps {
  current = $state<Step>('outline');

  constructor(
    private selection: Selection,
    private toolbox: Toolbox,
  ) {}

  /** Goes to a step. Concealing is about the item's cover; a holdout conceals nothing. */
  go(step: Step): void {
    if (step === 'conceal') this.selection.holdoutId = '';
    if (this.toolbox.tool === 'brush') this.toolbox.tool = 'move';
    this.current = step;
  }
}
