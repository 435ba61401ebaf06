<script lang="ts">
  // Holding out: what passes in front of the cover, drawn or found in the picture.
  import Brush from '@lucide/svelte/icons/brush';
  import Check from '@lucide/svelte/icons/check';
  import Circle from '@lucide/svelte/icons/circle';
  import Eraser from '@lucide/svelte/icons/eraser';
  import PenTool from '@lucide/svelte/icons/pen-tool';
  import Square from '@lucide/svelte/icons/square';
  import Trash2 from '@lucide/svelte/icons/trash-2';
  import VectorSquare from '@lucide/svelte/icons/vector-square';
  import type { Item } from '../../api/api';
  import type { Holdouts } from './holdouts.svelte';
  import type { Keying } from '../keying.svelte';
  import type { Playhead } from '../playhead.svelte';
  import type { Selection } from '../selection.svelte';
  import type { EditingSession } from '../session.svelte';
  import type { OpenShot } from '../shot.svelte';
  import type { Toolbox } from '../toolbox.svelte';
  import type { Shape } from '../drawing.svelte';
  import { crossing } from '../holdout/holdouts.svelte';
  import NumberField from '../../shared/NumberField.svelte';
  import Scope from '../Scope.svelte';

  interface Props {
    holdouts: Holdouts;
    keying: Keying;
    playhead: Playhead;
    selection: Selection;
    session: EditingSession;
    shot: OpenShot;
    toolbox: Toolbox;
    item: Item;
  }
  let { holdouts, keying, playhead, selection, session, shot, toolbox, item }: Props = $props();
  const c = $derived(selection.holdout);
  const p = $derived(c?.proposed);
  const v = $derived(c && !p ? selection.state : undefined);
  const run = $derived(holdouts.running);
  const tools: [Shape, string, typeof Square][] = [
    ['path', 'What passes in front: a path (Shift+H)', PenTool],
    ['corners', 'What passes in front: four corners', VectorSquare],
    ['box', 'What passes in front: a box', Square],
    ['ellipse', 'What passes in front: an ellipse', Circle],
  ];
  const stretches = $derived(c && p ? holdouts.stretches(c) : []);
  const taken = (s: { first: number; last: number }) => p!.accepted.some((a) => a.first <= s.first && s.last <= a.last);
  const row = $derived(c && session.rows.get(c.id));
  const share = $derived(row?.shares[selection.here - row.begin] ?? 0);
  const key = (lane: string) => ({
    keyed: keying.stateOf(lane),
    disabled: !!c?.locked,
    onkey: () => keying.toggle(lane),
  });
  const wider = $derived(
    p && (p.sensitivity !== holdouts.sensitivity || p.edge !== holdouts.edge || p.least !== holdouts.least),
  );
</script>

{#if selection.holdouts.length}
  <ul class="flex flex-col gap-px" aria-label="Holdouts of {item.name}">
    {#each selection.holdouts as x (x.id)}
      <li>
        <button
          class="flex w-full justify-between gap-1 border-l-4 px-1.5 py-0.5 text-left {c?.id === x.id
            ? 'border-primary bg-base-200'
            : 'border-base-300 hover:bg-base-200'}"
          aria-pressed={c?.id === x.id}
          onclick={() => (c?.id === x.id ? holdouts.close() : holdouts.select(x.id))}
        >
          <span class="truncate">{x.name}</span><span class="quiet tc text-[12px]"
            >{x.off ? 'off' : `f ${x.span.first}–${x.span.last}`}</span
          >
        </button>
      </li>
    {/each}
  </ul>
{:else}
  <p class="quiet text-[12px]">
    Where something passes in front of the cover, a holdout keeps the cover off it. Let it be found, or draw it.
  </p>
{/if}

{#if run}
  <p class="text-[12px]" data-testid="looking">
    {run.done
      ? `Looking: f ${run.at}, ${run.done} of ${run.frames} frames, ${run.rate.toFixed(0)} a second.`
      : 'Looking at the surface.'}
  </p>
  <progress
    class="progress w-full progress-primary"
    value={run.done}
    max={run.frames}
    aria-label="Looking for the foreground"
  ></progress>
  <button class="btn btn-xs" onclick={() => void holdouts.stop()}>Stop; what was found stays</button>
{:else if !c}
  <button class="btn btn-primary btn-sm" disabled={!holdouts.surface} onclick={() => void holdouts.propose()}
    >Find what is in front (Shift+F)</button
  >
  {#if !holdouts.surface}<p class="quiet text-[12px]">
      For that the cover must ride on a followed surface: what differs from it is in front.
    </p>{/if}
  <p class="quiet text-[12px]">
    {holdouts.drawing ? crossing[0][1] : 'Or draw it on the frame where it first touches the cover:'}
  </p>
  <div class="grid grid-cols-4 gap-1" role="group" aria-label="Draw a holdout">
    {#each tools as [t, name, Icon] (t)}
      <button
        class="btn px-0 btn-sm {holdouts.drawing && toolbox.tool === t ? 'btn-primary' : ''}"
        aria-label={name}
        title={name}
        aria-pressed={holdouts.drawing && toolbox.tool === t}
        onclick={() => holdouts.draw(t)}><Icon size={15} /></button
      >
    {/each}
  </div>
{/if}

{#if c && !p}
  <p class="quiet text-[12px]" data-testid="crossing-advice">
    {holdouts.next >= 0
      ? crossing[holdouts.next]![1]
      : 'All four are marked. Step through and drag it where it strays.'}
  </p>
  <ol class="grid grid-cols-2 gap-1" aria-label="The crossing">
    {#each crossing as [name], i (name)}
      {@const f = c.crossing?.[i] ?? -1}
      <li class="contents">
        <button
          class="btn justify-between px-1.5 btn-xs {holdouts.next === i ? 'btn-primary' : ''}"
          disabled={c.locked}
          onclick={() => holdouts.mark(i)}
          title="Mark this frame">{i + 1} {name}</button
        >
        <button class="btn justify-start btn-ghost px-1 btn-xs" disabled={f < 0} onclick={() => playhead.seek(f)}
          ><span class="tc">{f < 0 ? 'not marked' : `f ${f}`}</span></button
        >
      </li>
    {/each}
  </ol>
  {#if v}
    <Scope {keying} />
    <p class="quiet text-[12px]">
      The edge goes inward, so that what it softens stays hidden. Soften only along the edge that is seen.
    </p>
    <NumberField
      label="Soften across"
      unit="px"
      value={v.values['soften/across'] ?? 0}
      min={0}
      max={1000}
      onchange={(n) => keying.set(['soften/across'], n)}
      {...key('soften/across')}
    />
    <NumberField
      label="Soften down"
      unit="px"
      value={v.values['soften/down'] ?? 0}
      min={0}
      max={1000}
      onchange={(n) => keying.set(['soften/down'], n)}
      {...key('soften/down')}
    />
    <p class="quiet text-[12px]">
      Its outline and its motion, by keys or by tracking the thing itself, are in the steps Outline and Follow.
    </p>
  {/if}
{/if}

{#if c && p && !run}
  <p class="text-[12px]" data-testid="found-here">
    {share >= 0.0005
      ? `In front here: ${(100 * share).toFixed(1)} % of the surface, ` +
        `${holdouts.accepted(selection.here) ? 'held out' : 'not accepted yet'}.`
      : 'Nothing found in front on this frame.'}
  </p>
  {#if stretches.length}
    <ul class="max-h-28 divide-y divide-base-300 overflow-auto border border-base-300" aria-label="Stretches found">
      {#each stretches as s (s.first)}
        {@const on = taken(s)}
        <li class="flex items-center gap-1 px-1 py-0.5">
          <button class="tc flex-1 text-left text-[12px] hover:underline" onclick={() => playhead.seek(s.first)}
            >f {s.first}–{s.last}</button
          >
          <button class="btn btn-xs {on ? '' : 'btn-primary'}" aria-pressed={on} onclick={() => holdouts.accept(s, !on)}
            >{#if on}<Check size={13} /> Accepted{:else}Accept{/if}</button
          >
        </li>
      {/each}
    </ul>
    <p class="quiet text-[12px]">Play it first: only what you accept is held out (Shift+Enter).</p>
  {:else}
    <p class="text-[12px]">Nothing was found in front of the surface.</p>
  {/if}
  <div class="grid grid-cols-2 gap-1" role="group" aria-label="Brush">
    <button
      class="btn btn-xs {toolbox.tool === 'brush' && holdouts.adds ? 'btn-primary' : ''}"
      aria-pressed={toolbox.tool === 'brush' && holdouts.adds}
      onclick={() => holdouts.brush(true)}><Brush size={13} /> Add</button
    >
    <button
      class="btn btn-xs {toolbox.tool === 'brush' && !holdouts.adds ? 'btn-primary' : ''}"
      aria-pressed={toolbox.tool === 'brush' && !holdouts.adds}
      onclick={() => holdouts.brush(false)}><Eraser size={13} /> Take away</button
    >
  </div>
  <NumberField
    label="Brush"
    unit="px"
    value={holdouts.radius}
    min={1}
    max={400}
    digits={0}
    onchange={(n) => (holdouts.radius = n)}
  />
  <label class="flex items-center justify-between text-[12px]"
    ><span>On the whole stretch, carried along</span><input
      type="checkbox"
      class="toggle toggle-xs"
      bind:checked={holdouts.along}
    /></label
  >
  <hr class="border-base-300" />
{/if}
{#if !run && (!c || p) && holdouts.surface}
  <NumberField
    label="Sensitivity"
    unit="%"
    value={100 * holdouts.sensitivity}
    min={0}
    max={100}
    digits={0}
    onchange={(n) => (holdouts.sensitivity = n / 100)}
  />
  <NumberField
    label="Edge width"
    unit="px"
    value={holdouts.edge}
    min={1}
    max={40}
    onchange={(n) => (holdouts.edge = n)}
  />
  <NumberField
    label="Smallest area"
    unit="px²"
    value={holdouts.least}
    min={0}
    max={100000}
    digits={0}
    onchange={(n) => (holdouts.least = n)}
  />
  {#if c && p}<button class="btn btn-xs {wider ? 'btn-primary' : ''}" onclick={() => void holdouts.propose()}
      >Look again</button
    >{/if}
{/if}

{#if c}
  <label class="flex items-center justify-between text-[12px]"
    ><span>Before all covers of the shot</span><input
      type="checkbox"
      class="toggle toggle-xs"
      checked={c.holdsOut?.includes('*')}
      onchange={(e) => holdouts.passesBefore(e.currentTarget.checked)}
    /></label
  >
  <div class="flex flex-wrap gap-x-2 text-[12px]">
    <span class="quiet">Write</span><a class="underline" href="/api/shots/{shot.id}/mattes/{c.id}" download
      >mattes, a PNG for each frame</a
    >
  </div>
  <div class="grid grid-cols-2 gap-1">
    <button class="btn btn-xs" onclick={() => holdouts.turn(!!c.off)}>{c.off ? 'Switch on' : 'Switch off'}</button>
    <button class="btn btn-xs" onclick={() => holdouts.remove()}><Trash2 size={13} /> Remove</button>
  </div>
{/if}
