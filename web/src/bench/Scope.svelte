<script lang="ts">
  // Which frames a change of place or shape is for, and how far one around a frame reaches.
  import NumberField from '../shared/NumberField.svelte';
  import ScopeSwitch from '../shared/ScopeSwitch.svelte';
  import type { Keying } from './keying.svelte';

  let { keying }: { keying: Keying } = $props();
</script>

<p class="quiet text-[12px]" data-testid="between">{keying.between}</p>
<ScopeSwitch label="A change of place or shape is for" bind:scope={keying.shapeScope} scopes={keying.scopes} />
{#if keying.shapeScope === 'around'}
  <div class="flex items-center gap-2">
    <div class="flex-1">
      <NumberField
        label="Fades over"
        unit="f"
        digits={0}
        min={0}
        max={1000}
        value={keying.reach}
        onchange={(v) => (keying.reach = Math.round(v))}
      />
    </div>
    <button
      class="btn btn-xs {keying.reach ? '' : 'bg-base-300'}"
      aria-pressed={!keying.reach}
      title="Up to the next frames that are surely followed"
      onclick={() => (keying.reach = keying.reach ? 0 : 12)}>To good ones</button
    >
  </div>
{/if}
