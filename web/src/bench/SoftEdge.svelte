<script lang="ts">
  // The soft edge: how far, across and down alike unless they are parted, and to which side.
  import Link2 from '@lucide/svelte/icons/link-2';
  import Unlink2 from '@lucide/svelte/icons/unlink-2';
  import NumberField from '../shared/NumberField.svelte';
  import type { Keying, KeyState } from './keying.svelte';
  import type { Selection } from './selection.svelte';

  let { keying, selection }: { keying: Keying; selection: Selection } = $props();
  const cover = $derived(selection.cover!);
  const locked = $derived(!!cover.locked);
  const lanes = ['soften/across', 'soften/down'];
  const values = $derived(lanes.map((l) => selection.state!.values[l] ?? 0));
  const side = $derived(cover.softenSide || 'outside');
  let wanted = $state(false);
  const parted = $derived(wanted || values[0] !== values[1]);
  const both = $derived<KeyState>(
    lanes.every((l) => keying.stateOf(l) === 'here')
      ? 'here'
      : lanes.some((l) => keying.stateOf(l) !== 'none')
        ? 'keyed'
        : 'none',
  );
  const common = $derived({ unit: 'px', min: 0, max: 1000, disabled: locked });

  function together() {
    wanted = !parted;
    if (!wanted) keying.set(['soften/down'], values[0]!);
  }
</script>

{#if parted}
  {#each lanes as l, i (l)}
    <NumberField
      {...common}
      label={i ? 'Soften down' : 'Soften across'}
      value={values[i]!}
      onchange={(v) => keying.set([l], v)}
      ondrag={(v) => keying.set([l], v, true)}
      keyed={keying.stateOf(l)}
      onkey={() => keying.toggle(l)}
    />
  {/each}
{:else}
  <NumberField
    {...common}
    label="Soften"
    value={values[0]!}
    onchange={(v) => keying.set(lanes, v)}
    ondrag={(v) => keying.set(lanes, v, true)}
    keyed={both}
    onkey={() => keying.toggleAll(lanes)}
  />
{/if}
<div class="flex items-center justify-between gap-2">
  <span class="quiet">Soft edge</span>
  <button
    class="btn ml-auto btn-square btn-ghost btn-xs"
    aria-label={parted ? 'Soften across and down alike' : 'Soften across and down apart'}
    title={parted ? 'Across and down alike' : 'Across and down apart'}
    aria-pressed={!parted}
    disabled={locked}
    onclick={together}
  >
    {#if parted}<Unlink2 size={13} />{:else}<Link2 size={13} />{/if}
  </button>
  <select
    class="select w-28 select-xs"
    aria-label="Soft edge"
    disabled={locked}
    value={side}
    onchange={(e) => selection.edit({ do: 'softenSide', name: e.currentTarget.value as 'outside' | 'inside' | 'both' })}
  >
    <option value="outside">Outside</option><option value="inside">Inside</option><option value="both"
      >Both sides</option
    >
  </select>
</div>
{#if side !== 'outside' && values.some((v) => v > 0)}<p class="text-[12px] text-warning">
    The rim of the outline shows through its soft edge.
  </p>{/if}
