<script lang="ts">
  // All that takes long, in one place on every page: what it is, how far it has come, how
  // fast it goes, how long it will take, and a way to stop it.
  import { onMount } from 'svelte';
  import Activity from '@lucide/svelte/icons/activity';
  import { duration } from './format';
  import { route } from './route.svelte';
  import { WorkList, type Going } from './work.svelte';

  const work = new WorkList();
  onMount(() => work.open());
  let open = $state(false);
  let taking = $state(''); // the import that is asked about
  const going = $derived(work.all.filter((w) => w.state !== 'queued'));
  const titles: Record<Going['kind'], string> = {
    drawing: 'Drawing',
    import: 'Import',
    search: 'Looking for cuts',
    find: 'Looking for text and faces',
    seek: 'Looking for pictures',
    draft: 'Drafts',
    track: 'Tracking',
    holdout: 'Looking for what passes in front',
    check: 'Check',
    delivery: 'Delivery',
  };
  const stages: Record<string, string> = {
    queued: 'waits for its turn',
    conforming: 'conforming',
    joining: 'joining',
    verifying: 'verifying',
    stopping: 'stopping',
  };
  const said = (w: Going) => {
    if (w.waiting) return w.waiting;
    const words = [stages[w.state] ?? ''];
    if (w.state !== 'queued' && w.frames) words.push(`${w.done} of ${w.frames} frames`);
    if (w.rate > 0 && w.state !== 'queued') words.push(`${w.rate.toFixed(w.rate < 10 ? 1 : 0)} a second`);
    if (w.left > 0 && w.state !== 'queued') words.push(`${duration(w.left)} left`);
    return words.filter(Boolean).join(', ');
  };
  const share = $derived.by(() => {
    const known = going.filter((w) => w.frames);
    const of = known.reduce((n, w) => n + w.frames, 0);
    return of ? Math.round((100 * known.reduce((n, w) => n + w.done, 0)) / of) : undefined;
  });
  const panel =
    'absolute top-8 right-0 z-40 flex max-h-96 w-96 flex-col gap-1 overflow-auto ' +
    'border border-base-300 bg-base-100 p-2 shadow-lg';
  let box = $state<HTMLDivElement>();
</script>

<svelte:window
  onkeydown={(e) => open && e.key === 'Escape' && ((open = false), e.stopPropagation())}
  onpointerdown={(e) => open && !box!.contains(e.target as Node) && (open = false)}
/>

<div bind:this={box} class="relative">
  <button
    class="btn btn-ghost font-normal btn-xs {work.all.length ? '' : 'quiet'}"
    aria-expanded={open}
    title="Everything that takes long"
    data-testid="work"
    onclick={() => (open = !open)}
  >
    <Activity size={14} />
    {work.all.length ? `${work.all.length} going on` : 'Nothing going on'}{#if share !== undefined}&nbsp;<span
        class="tc">{share} %</span
      >{/if}
  </button>
  {#if open}
    <div class={panel} role="region" aria-label="Everything that takes long">
      {#if work.error}<p class="text-error" role="alert">{work.error}</p>{/if}
      <ul class="divide-y divide-base-300">
        {#each work.all as w (w.kind + w.id)}
          <li class="flex flex-col gap-0.5 py-1.5" data-testid="work-item" data-kind={w.kind}>
            <div class="flex items-baseline gap-2">
              <span class="shrink-0">{titles[w.kind]}</span>
              <a
                class="truncate font-medium hover:underline"
                href={w.shot ? `/shots/${w.shot}` : `/programmes/${w.programme}`}
                onclick={route.follow}>{w.name}</a
              >
              {#if taking === w.id}
                <button class="btn ml-auto btn-error btn-xs" onclick={() => ((taking = ''), void work.stop(w))}
                  >Take it out</button
                >
                <button class="btn btn-xs" onclick={() => (taking = '')}>Keep it</button>
              {:else}
                <button
                  class="btn ml-auto btn-xs"
                  aria-label="Stop: {titles[w.kind]} {w.name}"
                  disabled={w.state === 'stopping'}
                  title={w.kind === 'import' ? 'The source is taken out of the programme' : ''}
                  onclick={() => (w.kind === 'import' ? (taking = w.id) : void work.stop(w))}>Stop</button
                >
              {/if}
            </div>
            <progress
              class="progress h-1.5 progress-primary"
              value={w.state === 'queued' ? 0 : w.done}
              max={Math.max(w.frames, 1)}
              aria-label="{titles[w.kind]} {w.name}"
            ></progress>
            <span class="quiet text-[12px]">{said(w)}</span>
          </li>
        {:else}
          <li class="quiet py-1 text-[12px]">
            Imports, tracking, holdouts, checks, deliveries and what is looked for are listed here while they go on.
          </li>
        {/each}
      </ul>
    </div>
  {/if}
</div>
