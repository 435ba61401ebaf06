<script lang="ts">
  import CopyPlus from '@lucide/svelte/icons/copy-plus';
  import Circle from '@lucide/svelte/icons/circle';
  import PenTool from '@lucide/svelte/icons/pen-tool';
  import Square from '@lucide/svelte/icons/square';
  import Trash2 from '@lucide/svelte/icons/trash-2';
  import VectorSquare from '@lucide/svelte/icons/vector-square';
  import type { Item } from '../../api/api';
  import type { Keying } from '../keying.svelte';
  import type { Outlining } from './outlining.svelte';
  import type { Selection } from '../selection.svelte';
  import type { Toolbox } from '../toolbox.svelte';
  import type { Shape } from '../drawing.svelte';
  import NumberField from '../../shared/NumberField.svelte';
  import ScopeSwitch from '../../shared/ScopeSwitch.svelte';
  import Onward from '../Onward.svelte';
  import Scope from '../Scope.svelte';
  import SoftEdge from '../SoftEdge.svelte';
  import { valueScopes } from '../keying.svelte';
  import PlaceFields from './PlaceFields.svelte';

  interface Props {
    keying: Keying;
    outlining: Outlining;
    selection: Selection;
    toolbox: Toolbox;
    item: Item;
    still: boolean; // the shot has one frame only
    onduplicate: () => void;
  }
  let { keying, outlining, selection, toolbox, item, still, onduplicate }: Props = $props();
  const h = $derived(selection.state);
  const cover = $derived(selection.cover);
  const tools: [Shape, string, typeof Square][] = [
    ['box', 'Box (B)', Square],
    ['ellipse', 'Ellipse (E)', Circle],
    ['corners', 'Four corners (Q)', VectorSquare],
    ['path', 'Path (P)', PenTool],
  ];
  const names: Record<string, string> = { box: 'Box', ellipse: 'Ellipse', corners: 'Corners', path: 'Path' };
  const picked = $derived(h?.outlines.find((o) => o.id === selection.knots.outline));
  const key = (lane: string) => ({ keyed: keying.stateOf(lane), onkey: () => keying.toggle(lane) });
</script>

{#if !cover}<p>{item.name} has no cover yet. Choose a shape and draw it over the thing.</p>{/if}
<div class="grid grid-cols-4 gap-1" role="group" aria-label="Draw">
  {#each tools as [t, name, Icon] (t)}
    <button
      class="btn px-0 btn-sm {toolbox.tool === t ? 'btn-primary' : ''}"
      aria-label={name}
      aria-pressed={toolbox.tool === t}
      title={name}
      disabled={cover?.locked}
      onclick={() => toolbox.take(toolbox.tool === t ? 'move' : t)}><Icon size={15} /></button
    >
  {/each}
</div>
{#if !cover?.track && !still}<Onward {keying} />{/if}
{#if cover && h}
  <div class="join grid grid-cols-2" role="group" aria-label="What drawing does">
    <button
      class="btn join-item btn-xs {outlining.adding ? '' : 'bg-base-300'}"
      aria-pressed={!outlining.adding}
      onclick={() => (outlining.adding = false)}>Fit again</button
    >
    <button
      class="btn join-item btn-xs {outlining.adding ? 'bg-base-300' : ''}"
      aria-pressed={outlining.adding}
      onclick={() => (outlining.adding = true)}>Add outline</button
    >
  </div>
  <hr class="border-base-300" />
  <Scope {keying} />
  <PlaceFields {keying} {outlining} {selection} />
  {#if selection.knots.indexes.length && picked}
    <div class="flex flex-col gap-1 border-y border-base-300 py-1.5">
      <span class="quiet text-[12px]"
        >{selection.knots.indexes.length === 1 ? 'One knot' : `${selection.knots.indexes.length} knots`} of {picked
          .knots.length}</span
      >
      {#if selection.knots.indexes.length === 1}
        {@const i = selection.knots.indexes[0]!}
        {@const k = picked.knots[i]!}
        <div class="grid grid-cols-2 gap-x-2">
          <NumberField label="Knot across" short="x" value={k.p.x} onchange={(v) => outlining.nudge(v - k.p.x, 0)} />
          <NumberField label="Knot down" short="y" value={k.p.y} onchange={(v) => outlining.nudge(0, v - k.p.y)} />
        </div>
      {/if}
      <div class="join grid grid-cols-3">
        <button class="btn join-item px-0 btn-xs" onclick={() => selection.editKnots({ do: 'smooth', on: false })}
          >Corner</button
        >
        <button class="btn join-item px-0 btn-xs" onclick={() => selection.editKnots({ do: 'smooth', on: true })}
          >Smooth</button
        >
        <button
          class="btn join-item px-0 btn-xs"
          disabled={picked.knots.length - selection.knots.indexes.length < 3}
          onclick={() => selection.editKnots({ do: 'removeKnots' })}>Remove</button
        >
      </div>
    </div>
  {/if}
  <ul class="flex flex-col" aria-label="Outlines">
    {#each h.outlines as o, i (o.id)}
      <li class="flex items-center gap-1">
        <span class="mr-auto"
          >{names[o.shape]}{h.outlines.length > 1 ? ` ${i + 1}` : ''}{#if o.shape === 'path'}<span class="quiet"
              >, {o.knots.length} knots</span
            >{/if}</span
        >
        {#if o.shape === 'box'}<button
            class="btn btn-ghost px-1 btn-xs"
            disabled={cover.locked}
            onclick={() => selection.edit({ do: 'shape', id: o.id, shape: 'corners' })}>Free corners</button
          >{/if}
        {#if o.shape !== 'path'}<button
            class="btn btn-ghost px-1 btn-xs"
            disabled={cover.locked}
            onclick={() => selection.edit({ do: 'shape', id: o.id, shape: 'path' })}>To path</button
          >{/if}
        {#if h.outlines.length > 1}<button
            class="btn btn-square btn-ghost btn-xs"
            disabled={cover.locked}
            aria-label="Remove outline {i + 1}"
            onclick={() => selection.edit({ do: 'removeOutline', id: o.id })}><Trash2 size={13} /></button
          >{/if}
      </li>
    {/each}
  </ul>
  <label class="flex items-center justify-between"
    ><span>Hide all but the outline</span><input
      type="checkbox"
      class="toggle toggle-xs"
      checked={!!cover.inverted}
      disabled={cover.locked}
      onchange={(e) => selection.edit({ do: 'invert', on: e.currentTarget.checked })}
    /></label
  >
  <hr class="border-base-300" />
  <NumberField
    label="Grow"
    unit="px"
    value={h.values['grow']!}
    min={0}
    max={1000}
    disabled={cover.locked}
    onchange={(v) => keying.set(['grow'], v)}
    {...key('grow')}
  />
  <SoftEdge {keying} {selection} />
  {#if ['grow', 'soften/across', 'soften/down'].some((l) => keying.stateOf(l) !== 'none')}<ScopeSwitch
      label="A change of a keyed number is for"
      bind:scope={keying.valueScope}
      scopes={valueScopes}
    />{/if}
  {#if !cover.holdsOut}<button
      class="btn btn-xs"
      title="With its motion and treatments, for another item (Ctrl+D)"
      onclick={onduplicate}><CopyPlus size={13} /> Duplicate this cover</button
    >{/if}
  <button
    class="btn justify-start btn-ghost text-error btn-xs"
    disabled={cover.locked}
    onclick={() => selection.edit({ do: 'remove' })}><Trash2 size={13} /> Remove this cover</button
  >
{/if}
