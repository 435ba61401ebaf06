<script lang="ts">
  // Whether a change of something keyed is for this frame or for the whole span.
  import type { Scope } from '../bench/keying.svelte';
  let { label, scope = $bindable() }: { label: string; scope: Scope } = $props();
</script>

<div class="flex flex-col gap-0.5">
  <span class="quiet text-[12px]">{label}</span>
  <div class="join grid grid-cols-2" role="group" aria-label={label}>
    {#each [['frame', 'This frame'], ['span', 'Whole span']] as const as [s, t] (s)}
      <button
        class="btn join-item btn-xs {scope === s ? 'bg-base-300' : ''}"
        aria-pressed={scope === s}
        onclick={() => (scope = s)}>{t}</button
      >
    {/each}
  </div>
</div>
