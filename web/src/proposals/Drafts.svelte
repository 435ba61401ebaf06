<script lang="ts">
  // Drafts of what the list asks for: asked for, under way, made.
  import { counted } from '../shared/format';
  import type { Proposals } from './proposals.svelte';
  let { c }: { c: Proposals } = $props();

  const d = $derived(c.list?.drafts);
  const going = $derived(d && (d.state === 'queued' || d.state === 'running'));
</script>

<div class="flex shrink-0 items-center gap-2 text-[12px]" data-testid="drafts">
  {#if d && going}
    <span class="tabular-nums">{d.made ? `Drafts: ${d.done} of ${d.made} begun are done` : 'Drafts are begun'}</span>
    {#if d.waiting}<span>{d.waiting}</span>{/if}
    <button class="btn btn-xs" onclick={() => c.draft(false)} title="Those that were begun stay">Stop</button>
  {:else}
    {#if d?.state === 'failed'}<span class="text-error" role="alert">{d.error}</span>
    {:else if d?.made}<span class="quiet"
        >{counted(d.made, 'draft', 'drafts')} made{d.done < d.made ? `, ${d.done} of them done` : ''}{d.notes
          ? `; ${d.notes} could not be followed`
          : ''}.</span
      >{/if}
    {#if c.listed && c.shown === 'open'}<button
        class="btn btn-xs"
        onclick={() => c.draft(true)}
        title="Covers what the clearance list asks for, one after the other; each follows, and waits for a yes"
        >{d?.state === 'stopped' ? 'Go on with drafts' : 'Draft what the list asks for'} ({c.listed})</button
      >{/if}
  {/if}
</div>
