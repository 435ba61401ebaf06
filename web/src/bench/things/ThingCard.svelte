<script lang="ts">
  // The card of a track or a label that is in hand.
  import X from '@lucide/svelte/icons/x';
  import NumberField from '../../shared/NumberField.svelte';
  import type { Things } from './things.svelte';

  let { things }: { things: Things } = $props();
  const row = $derived(things.track);
  const label = $derived(things.label);
  const counted = $derived(things.counted);
  const words: Record<string, string> = { a: 'anchored', g: 'good', w: 'weak', l: 'lost', o: 'outside the picture' };
  const count = (c: string) => [...(row?.states ?? '')].filter((x) => x === c).length;
  const done = (e: KeyboardEvent) => e.key === 'Enter' && (e.currentTarget as HTMLInputElement).blur();
  const typed = (e: Event) => (e.currentTarget as HTMLInputElement).value;
</script>

<div class="flex items-center justify-between">
  <h2 class="font-medium">
    {row ? (row.track.kind === 'points' ? 'Track of points' : 'Track of a surface') : 'Label'}
  </h2>
  <button
    class="btn btn-square btn-ghost btn-xs"
    aria-label="Back to the item (Esc)"
    title="Back to the item (Esc)"
    onclick={() => (things.picked = '')}><X size={14} /></button
  >
</div>
{#if row}
  <label class="flex items-center justify-between gap-2"
    ><span class="quiet">Name</span><input
      class="input w-44 input-xs"
      value={row.track.name}
      maxlength="200"
      onkeydown={done}
      onchange={(e) => things.rename(typed(e))}
    /></label
  >
  <p class="text-[12px]" data-testid="counted">
    {#if counted}f {counted[0]} to {counted[1]}: {['a', 'g', 'w', 'l', 'o']
        .filter(count)
        .map((c) => `${count(c)} ${words[c]}`)
        .join(', ')}{:else}Nothing of it counts.{/if}
  </p>
  <div class="grid grid-cols-2 gap-1" role="group" aria-label="Which frames count">
    <button class="btn btn-xs" disabled={!counted} onclick={() => things.trim('from here')}>Begins here</button>
    <button class="btn btn-xs" disabled={!counted} onclick={() => things.trim('to here')}>Ends here</button>
  </div>
  {#if row.track.trim}<button class="btn btn-xs" onclick={() => things.trim('all')}>All that was followed</button>{/if}
  <p class="quiet text-[12px]">What lies beyond is kept, and does not count.</p>
  <h3 class="quiet text-[12px]">On it</h3>
  {#each row.riders as id (id)}
    <button class="btn justify-start btn-xs" onclick={() => things.open(id)}>{things.cover(id)}</button>
  {:else}
    <p class="text-[12px]">No cover rides on it.</p>
  {/each}
  {#each things.labels.filter((l) => l.track === row.track.id) as l (l.id)}
    <button class="btn justify-start btn-xs" onclick={() => (things.picked = l.id)}>Label “{l.text}”</button>
  {/each}
  <button class="btn btn-xs" onclick={() => things.addLabel()}>Hang a label on it</button>
  <button
    class="btn btn-xs"
    disabled={row.riders.length > 0}
    title={row.riders.length ? 'Covers ride on it: put them on another track or turn it into hand keys first' : ''}
    onclick={() => things.remove()}>Remove the track</button
  >
{:else if label}
  <p class="quiet text-[12px]">On {things.carrier(label)}. Review copies show it; a master never does.</p>
  <label class="flex items-center justify-between gap-2"
    ><span class="quiet">Text</span><input
      class="input w-44 input-xs"
      value={label.text}
      maxlength="200"
      onkeydown={done}
      onchange={(e) => things.changeLabel({ text: typed(e) })}
    /></label
  >
  <label class="flex items-center justify-between"
    ><span class="quiet">Ring around it</span><input
      type="checkbox"
      class="toggle toggle-xs"
      checked={label.ring}
      disabled={!label.text}
      onchange={(e) => things.changeLabel({ ring: e.currentTarget.checked })}
    /></label
  >
  <NumberField
    label="Letters"
    unit="px"
    value={label.size}
    min={6}
    max={400}
    digits={0}
    onchange={(size) => things.changeLabel({ size })}
  />
  <label class="flex items-center justify-between"
    ><span class="quiet">Colour</span><input
      type="color"
      class="h-6 w-12"
      value={label.colour}
      onchange={(e) => things.changeLabel({ colour: typed(e) })}
    /></label
  >
  <button class="btn btn-xs" onclick={() => things.remove()}>Remove the label</button>
{/if}
