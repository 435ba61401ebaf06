<script lang="ts">
  // How far the programme was looked through.
  import type { Source } from '../api/api';
  import { counted } from '../shared/format';
  import type { Proposals } from './proposals.svelte';
  let { c, sources }: { c: Proposals; sources: Source[] } = $props();

  const runs = $derived(c.list!.runs);
  const going = $derived(runs.filter((r) => r.state === 'queued' || r.state === 'running'));
  const source = (id: string) => sources.find((s) => s.id === id);
  const done = $derived(runs.filter((r) => r.state === 'done'));
  const frames = $derived(done.reduce((n, r) => n + (source(r.source)?.frames ?? 0), 0));
  const looked = $derived(done.reduce((n, r) => n + r.looked, 0));
  const unseen = $derived(sources.filter((s) => s.state !== 'failed' && !runs.some((r) => r.source === s.id)));
</script>

<div class="flex flex-wrap items-center gap-x-4 gap-y-1 text-[12px]" data-testid="runs">
  {#if c.list!.absent}
    <span class="text-error" role="alert">{c.list!.absent}</span>
  {:else}
    {#if done.length}<span class="quiet"
        >{counted(done.length, 'source', 'sources')} looked through for text and faces: {looked} of {frames}
        frames looked at, what was seen followed over the others.</span
      >{/if}
    {#each going as r (r.source)}
      <span class="flex items-center gap-2" data-testid="going"
        >{source(r.source)?.name ?? 'A source'}:
        <progress class="progress w-24" value={r.done} max={source(r.source)?.frames ?? 1}></progress>
        <span class="tabular-nums">{r.done} of {source(r.source)?.frames ?? '?'}</span>
        {#if r.waiting}<span>{r.waiting}</span>{/if}
        <button class="btn btn-xs" onclick={() => c.rest(r.source)}>Stop</button></span
      >
    {/each}
    {#each runs.filter((r) => r.state === 'failed') as r (r.source)}
      <span class="text-error" role="alert">{source(r.source)?.name}: {r.error}</span>
    {/each}
    {#if unseen.length || runs.some((r) => r.state === 'stopped' || r.state === 'failed')}
      <button class="btn btn-xs" onclick={() => c.find(false)}
        >Look through {runs.length ? 'the rest' : 'the programme'}</button
      >
    {:else if done.length && !going.length}
      <button class="btn btn-xs" onclick={() => c.find(true)}>Look through again</button>
    {/if}
  {/if}
</div>
