<script lang="ts">
  // The group in hand: where it is seen, and what is said of it.
  import { route } from '../shared/route.svelte';
  import type { Proposals } from './proposals.svelte';
  import type { ProposalRow } from '../api/api';

  interface Props {
    c: Proposals;
    asking: '' | 'item' | 'reason';
    onopen: () => void;
  }
  let { c, asking = $bindable(), onopen }: Props = $props();
  let reason = $state('');
  let everywhere = $state(false);
  let item = $state('');

  const g = $derived(c.group);
  const listed = $derived(c.list?.items.find((i) => i.id === g?.asked));
  const shotOf = (r: ProposalRow) => c.list?.shots.find((s) => s.id === r.in);
  const frames = (r: ProposalRow) => {
    const first = shotOf(r)?.first ?? 0;
    return `f ${Math.max(r.first - first, 0)} to ${r.last - first}`;
  };
  const decided = $derived(g?.rows.find((r) => r.state !== 'open' && r.by));

  function belongs(e: Event) {
    e.preventDefault();
    asking = '';
    void c.accept(item);
  }
  function unneeded(e: Event) {
    e.preventDefault();
    asking = '';
    void c.judge('unneeded', { reason, forget: true, everywhere });
    reason = '';
    everywhere = false;
  }
  const escape = (e: KeyboardEvent) => e.key === 'Escape' && (asking = '');
</script>

<section
  class="flex min-h-0 flex-col gap-3 border border-base-300 p-3"
  aria-label="The group in hand"
  data-testid="card"
>
  {#if g}
    <div class="flex items-baseline gap-2">
      <h2 class="min-w-0 truncate text-[20px] font-semibold">{c.title(g)}</h2>
      <span class="quiet">{c.list!.titles[g.kind]}</span>
    </div>
    {#if c.shown !== 'accepted'}
      <div class="flex flex-wrap items-center gap-1.5" role="group" aria-label="What is to be done">
        <button class="btn btn-primary btn-sm" onclick={() => c.accept(g.asked)}
          >{listed ? `It is ${listed.name}` : 'Accept'} <kbd class="kbd kbd-xs">A</kbd></button
        >
        <button class="btn btn-sm" onclick={() => (asking = 'item')} disabled={!c.list!.items.length}
          >Belongs to <kbd class="kbd kbd-xs">B</kbd></button
        >
        <button class="btn btn-sm" onclick={() => c.judge('unneeded', { forget: true })}
          >Not needed <kbd class="kbd kbd-xs">N</kbd></button
        >
        <button class="btn btn-sm" onclick={() => (asking = 'reason')}>Reason <kbd class="kbd kbd-xs">R</kbd></button>
        {#if c.shown === 'open' || c.shown === 'rest'}
          <button class="btn btn-sm" onclick={() => c.judge('later')}>Later <kbd class="kbd kbd-xs">L</kbd></button>
        {:else}
          <button class="btn btn-sm" onclick={() => c.judge('open')}>Open again</button>
        {/if}
      </div>
    {/if}
    {#if c.shown === 'accepted'}
      <button
        class="btn self-start btn-sm"
        onclick={() => c.judge('open')}
        title="Where the cover was removed, what was found is offered again">Open again</button
      >
    {/if}
    {#if asking === 'item'}
      <form class="flex items-center gap-2" onsubmit={belongs}>
        <!-- svelte-ignore a11y_autofocus -->
        <select
          class="select flex-1 select-sm"
          aria-label="Item"
          bind:value={item}
          required
          autofocus
          onkeydown={escape}
        >
          {#each c.list!.items as i (i.id)}<option value={i.id}>{i.name}</option>{/each}
        </select>
        <button class="btn btn-primary btn-sm">Belongs to it</button>
        <button type="button" class="btn btn-sm" onclick={() => (asking = '')}>Cancel</button>
      </form>
    {:else if asking === 'reason'}
      <form class="flex flex-wrap items-center gap-2" onsubmit={unneeded}>
        <!-- svelte-ignore a11y_autofocus -->
        <input
          class="input flex-1 input-sm"
          aria-label="Why it is not needed"
          placeholder="Why it needs no cover"
          bind:value={reason}
          maxlength="2000"
          autofocus
          onkeydown={escape}
        />
        <label class="flex items-center gap-1"
          ><input type="checkbox" class="checkbox checkbox-xs" bind:checked={everywhere} /> in all programmes</label
        >
        <button class="btn btn-primary btn-sm">Not needed</button>
        <button type="button" class="btn btn-sm" onclick={() => (asking = '')}>Cancel</button>
      </form>
    {/if}
    {#if decided}<p class="quiet">
        {decided.by}{decided.reason ? `: ${decided.reason}` : ''}
      </p>{/if}
    <ul class="grid min-h-0 grid-cols-2 content-start gap-3 overflow-auto" aria-label="Where it is seen">
      {#each g.rows as r (r.id)}
        <li class="flex flex-col border {c.picked.has(r.id) ? 'border-primary' : 'border-base-300'}">
          <button
            class="flex h-28 items-center justify-center bg-black"
            onclick={onopen}
            aria-label="Open on the bench"
          >
            <img
              class="max-h-28 max-w-full"
              src="/api/proposals/{r.id}/still"
              alt={r.text || (r.mark ? 'What looks like it' : 'A face')}
              loading="lazy"
            />
          </button>
          <div class="flex items-center gap-2 p-1 text-[12px]">
            {#if g.rows.length > 1}<input
                type="checkbox"
                class="checkbox checkbox-xs"
                checked={c.picked.has(r.id)}
                onchange={() => c.pick(r.id)}
                aria-label="Only this one"
              />{/if}
            <span class="min-w-0 flex-1">
              <span class="block truncate">{shotOf(r)?.name ?? 'In no shot'}</span>
              <span class="quiet tabular-nums">{frames(r)}, {Math.round(100 * r.sure)} % sure</span>
            </span>
            {#if r.cover && r.shot}<a class="underline" href="/shots/{r.shot}?item={r.item}" onclick={route.follow}
                >Cover</a
              >{/if}
          </div>
        </li>
      {/each}
    </ul>
  {:else}
    <p class="quiet">Choose a group on the left. A accepts it, N says that it is not needed.</p>
  {/if}
</section>
