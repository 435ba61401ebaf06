<script lang="ts">
  // Place, size and turn as numbers: any of them typed one after another with Tab between
  // them are one change, made when the fields are left.
  import type { Command } from '../../api/api';
  import type { Keying } from '../keying.svelte';
  import type { Selection } from '../selection.svelte';
  import NumberField from '../../shared/NumberField.svelte';
  import type { Numbers, Outlining } from './outlining.svelte';

  interface Props {
    keying: Keying;
    outlining: Outlining;
    selection: Selection;
  }
  let { keying, outlining, selection }: Props = $props();
  const locked = $derived(!!selection.cover?.locked);
  /** What was typed and is not saved. */
  let typed = $state.raw<{ numbers: Numbers; command: Command }>();

  function change(numbers: Numbers) {
    const all = { ...typed?.numbers, ...numbers };
    typed = { numbers: all, command: outlining.numbered(all) };
    outlining.show(typed.command);
  }
  function save() {
    const t = typed;
    typed = undefined;
    if (t) outlining.save(t.command);
  }
  function cancel() {
    if (typed) outlining.show();
    typed = undefined;
  }
  const set = (name: keyof Numbers) => ({
    value: outlining.numbers[name],
    disabled: locked,
    onchange: (v: number, done: boolean) => {
      change({ [name]: v });
      if (done) save();
    },
    ondrag: (v: number) => change({ [name]: v }),
    onconfirm: () => (typed ? save() : keying.stateOf('placement') !== 'here' && keying.toggle('placement')),
    oncancel: cancel,
  });
</script>

<div
  class="flex flex-col gap-1"
  role="group"
  aria-label="Place, size and turn"
  onfocusout={(e) => e.currentTarget.contains(e.relatedTarget as Node | null) || save()}
>
  <div class="grid grid-cols-2 gap-x-2 gap-y-1">
    <NumberField label="Centre across" short="x" {...set('x')} />
    <NumberField label="Centre down" short="y" {...set('y')} />
    <NumberField label="Width" short="w" min={1} {...set('w')} />
    <NumberField label="Height" short="h" min={1} {...set('h')} />
  </div>
  <NumberField
    label="Turn"
    unit="°"
    {...set('turn')}
    keyed={keying.stateOf('placement')}
    onkey={() => keying.toggle('placement')}
  />
  <label class="flex items-center justify-between text-[12px]" title="A size that is keyed leaves the place alone">
    <span class="quiet">Key only what is changed</span>
    <input type="checkbox" class="checkbox checkbox-xs" bind:checked={keying.apart} />
  </label>
</div>
