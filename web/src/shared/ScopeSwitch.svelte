<script lang="ts" generics="Scope extends string">
  // What a change is for: this frame, a stretch, the whole span.
  interface Props {
    label: string;
    scope: Scope;
    scopes: [Scope, string][];
  }
  let { label, scope = $bindable(), scopes }: Props = $props();
</script>

<div class="flex flex-col gap-0.5">
  <span class="quiet text-[12px]">{label}</span>
  <div class="join grid auto-cols-fr grid-flow-col" role="group" aria-label={label}>
    {#each scopes as [s, t] (s)}
      <button
        class="btn join-item px-0 btn-xs {scope === s ? 'bg-base-300' : ''}"
        aria-pressed={scope === s}
        onclick={() => (scope = s)}>{t}</button
      >
    {/each}
  </div>
</div>
