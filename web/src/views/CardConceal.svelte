<script lang="ts">
  import EyeOff from '@lucide/svelte/icons/eye-off';
  import Pipette from '@lucide/svelte/icons/pipette';
  import type { Item, Treatment } from '../lib/api';
  import type { Bench } from '../lib/bench.svelte';
  import { core } from '../lib/core';
  import NumberField from './NumberField.svelte';
  import ScopeSwitch from './ScopeSwitch.svelte';

  let { b, item }: { b: Bench; item: Item } = $props();
  const cover = $derived(b.cover!);
  const h = $derived(b.held!);
  const t = $derived(cover.treatments[0]);
  const locked = $derived(!!cover.locked);
  const lane = (what: string) => `treatment/${t!.id}/${what}`;
  const value = (what: string) => h.values[lane(what)] ?? 0;
  const key = (what: string) => ({ keyed: b.keyState(lane(what)), disabled: locked, onkey: () => b.toggleKey(lane(what)) });
  const keyed = $derived(h.lanes.some((l) => l.name.startsWith('treatment/')));
  const strength = $derived(t ? value('strength') : 1);
  function treat(change: (t: Treatment) => Treatment, live = false) {
    if (t) b.treat([change(t), ...cover.treatments.slice(1)], live);
  }
</script>

{#if t}
  <div class="join" role="group" aria-label="Treatment">
    {#each ['blur', 'mosaic', 'fill'] as const as k (k)}
      <button class="btn btn-xs join-item flex-1 {t.kind === k ? 'btn-primary' : ''}" disabled={locked} aria-pressed={t.kind === k} onclick={() => t.kind !== k && treat(() => ({ ...core.treatment(t.id, k), strength: t.strength }))}>
        {k === 'blur' ? 'Blur' : k === 'mosaic' ? 'Mosaic' : 'Fill'}
      </button>
    {/each}
  </div>
  {#if t.kind === 'fill'}
    <div class="flex items-center justify-between gap-2">
      <label class="flex items-center gap-2"><span class="quiet">Colour</span>
        <input type="color" class="h-6 w-9" aria-label="Colour" disabled={locked} value={t.colour} oninput={(e) => { const v = e.currentTarget.value; treat((t) => ({ ...t, colour: v }), true); }} onchange={(e) => { const v = e.currentTarget.value; treat((t) => ({ ...t, colour: v })); }} />
      </label>
      <button class="btn btn-xs {b.tool === 'pick' ? 'btn-primary' : ''}" disabled={locked} onclick={() => b.takeUp(b.tool === 'pick' ? 'move' : 'pick')}><Pipette size={13} /> Pick</button>
    </div>
    <span class="tc">{t.colour}</span>
  {:else}
    {@const what = t.kind === 'blur' ? 'sigma' : 'cell'}
    {@const name = t.kind === 'blur' ? 'Sigma' : 'Cell'}
    {@const both = [lane(`${what}/across`), lane(`${what}/down`)]}
    {@const [lo, hi, top] = t.kind === 'blur' ? [0, 80, 500] : [2, 120, 2000]}
    <input type="range" class="range range-xs range-primary" aria-label={name} min={lo} max={hi} step={t.kind === 'blur' ? 0.5 : 1} disabled={locked} value={value(`${what}/across`)}
      oninput={(e) => b.set(both, Number(e.currentTarget.value), true)} onchange={(e) => b.set(both, Number(e.currentTarget.value))} />
    {#each ['across', 'down'] as const as way (way)}
      <NumberField label="{name} {way}" unit="px" digits={t.kind === 'blur' ? 1 : 0} value={value(`${what}/${way}`)} min={lo} max={top} onchange={(v) => b.set([lane(`${what}/${way}`)], v)} {...key(`${what}/${way}`)} />
    {/each}
  {/if}
  <hr class="border-base-300" />
  <NumberField label="Strength" unit="%" digits={0} value={100 * strength} min={0} max={100} onchange={(v) => b.set([lane('strength')], v / 100)} {...key('strength')} />
  {#if strength < 1}<p class="text-warning text-[12px]">Below 100 % the picture shows through the cover.</p>{/if}
  {#if keyed}
    <ScopeSwitch label="A change of a keyed number is for" bind:scope={b.valueScope} />
  {:else}
    <p class="quiet text-[12px]">Numbers hold for the whole span; the diamond keys one at this frame. Hold C to see the clean picture.</p>
  {/if}
{/if}
<button class="btn btn-xs" disabled={locked} aria-pressed={!!cover.off} onclick={() => b.onCover({ do: 'switch', on: !!cover.off })}>
  <EyeOff size={13} /> {cover.off ? 'Switch the cover on' : 'Switch the cover off'}
</button>
{#if cover.off}<p class="text-warning text-[12px]">This cover is off: {item.name} is delivered as it is.</p>{/if}
