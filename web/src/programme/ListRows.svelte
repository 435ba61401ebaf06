<script lang="ts">
  // The clearance list's rows, as many as are looked at.
  import type { Clearance, Row } from './list.svelte';
  import { kinds } from '../shared/format';
  import { route } from '../shared/route.svelte';
  import { states } from '../shared/states';

  let { c, edit, stills }: { c: Clearance; edit: (r: Row) => void; stills: (shot: string) => boolean } = $props();
  let end = $state<HTMLElement>();
  $effect(() => {
    const o = new IntersectionObserver((e) => e.some((x) => x.isIntersecting) && c.more(), { rootMargin: '600px' });
    if (end) o.observe(end);
    return () => o.disconnect();
  });
  const columns = [
    ['name', 'Item'],
    ['shot', 'Shot'],
    ['state', 'State'],
    ['findings', 'Findings'],
    ['due', 'Due'],
  ] as const;
  const rows = $derived(c.shown.slice(0, c.limit));
  const today = new Date().toISOString().slice(0, 10);
  const middle = (r: Row) =>
    r.appearance!.first >= 0
      ? Math.round((r.appearance!.first + r.appearance!.last) / 2)
      : Math.floor((r.shot!.frames - 1) / 2);
  $effect(() => document.getElementById(`row-${c.at}`)?.scrollIntoView({ block: 'nearest' }));
</script>

<table class="w-full border-collapse text-left" data-testid="list">
  <thead>
    <tr class="quiet border-b border-base-300 align-bottom">
      <th class="w-7 py-1 font-normal"
        ><input
          type="checkbox"
          class="checkbox checkbox-xs"
          aria-label="Pick all that are shown"
          checked={c.shown.length > 0 && c.shown.every((r) => c.picked.has(r.key))}
          onchange={(e) => (c.picked = e.currentTarget.checked ? new Set(c.shown.map((r) => r.key)) : new Set())}
        /></th
      >
      <th class="w-[268px] py-1 font-normal">Before, after</th>
      {#each columns as [k, t] (k)}
        <th class="py-1 pr-2 font-normal" aria-sort={c.sort === k ? 'ascending' : 'none'}
          ><button
            class={c.sort === k ? 'font-semibold text-base-content' : 'hover:underline'}
            onclick={() => (c.sort = k)}>{t}{c.sort === k ? ' ↓' : ''}</button
          ></th
        >
      {/each}
      <th class="py-1 font-normal whitespace-nowrap">Assigned to</th>
      <th><span class="sr-only">Edit</span></th>
    </tr>
  </thead>
  <tbody>
    {#each rows as r (r.key)}
      {@const s = states[r.appearance?.state ?? 'todo']}
      <tr
        id="row-{r.key}"
        class="border-b border-base-300 align-top {c.at === r.key
          ? 'bg-base-300/60'
          : c.picked.has(r.key)
            ? 'bg-base-200'
            : ''}"
        data-testid="row"
        aria-current={c.at === r.key}
        onclick={() => (c.at = r.key)}
      >
        <td class="py-1.5"
          ><input
            type="checkbox"
            class="checkbox checkbox-xs"
            aria-label="Pick {r.item.name}"
            checked={c.picked.has(r.key)}
            onchange={(e) => c.pick(r.key, e.currentTarget.checked)}
          /></td
        >
        <td class="py-1.5 pr-2">
          {#if r.shot && stills(r.shot.id)}
            <span class="flex gap-1">
              {#each r.appearance!.covered ? ['&before=1', ''] : ['&before=1'] as which (which)}
                <img
                  class="h-[72px] w-[128px] bg-[#1c1c1c] object-cover"
                  loading="lazy"
                  alt={which ? 'Before' : 'After'}
                  src="/api/shots/{r.shot.id}/stills/{middle(r)}?item={r.item.id}{which}&v={r.appearance!.at}"
                />
              {/each}
            </span>
          {/if}
        </td>
        <td class="py-1.5 pr-2">
          {#if r.shot}<a
              class="font-semibold hover:underline"
              href="/shots/{r.shot.id}?item={r.item.id}"
              onclick={route.follow}>{r.item.name}</a
            >{:else}<span class="font-semibold">{r.item.name}</span>{/if}
          <span class="quiet">{kinds[r.item.kind]}</span>
          {#if r.appearance?.drafts}<span
              class="border border-dashed border-warning px-1 text-[12px]"
              title="Nobody has said yes to its cover">draft</span
            >{/if}
          <span class="quiet block text-[12px]"
            >{[r.item.description, r.item.reason, r.item.requester].filter(Boolean).join(' · ')}</span
          >
        </td>
        <td class="py-1.5 pr-2">
          {#if r.shot}{r.shot.name}{#if r.appearance!.first >= 0}<span class="tc quiet block text-[12px]"
                >f {r.appearance!.first}–{r.appearance!.last}</span
              >{/if}{:else}<span class="quiet">in no shot yet</span>{/if}
        </td>
        <td class="py-1.5 pr-2 whitespace-nowrap" data-testid="state"
          ><span class={s.colour}><span aria-hidden="true">{s.mark}</span> {s.name}</span
          >{#if r.appearance?.note && ['back', 'waived'].includes(r.appearance.state)}<span
              class="quiet block max-w-44 text-[12px] whitespace-normal">{r.appearance.note}</span
            >{/if}</td
        >
        <td class="py-1.5 pr-2 whitespace-nowrap">
          {#if r.appearance?.severe || r.appearance?.minor}
            <a class="hover:underline" href="/shots/{r.shot!.id}?item={r.item.id}&step=check" onclick={route.follow}>
              {#if r.appearance.severe}<span class="font-semibold text-error">▼ {r.appearance.severe} severe</span>{/if}
              {#if r.appearance.minor}<span class="quiet block">{r.appearance.minor} minor</span>{/if}
            </a>
          {/if}
          {#if r.appearance && !r.appearance.severe && !r.appearance.minor}<span
              class={r.appearance.checked && r.appearance.covered ? 'text-success' : 'quiet'}
              >{!r.appearance.covered ? '–' : r.appearance.checked ? 'none' : 'to be checked'}</span
            >{/if}
        </td>
        <td
          class="tc py-1.5 pr-2 whitespace-nowrap {r.item.due &&
          r.item.due < today &&
          !['approved', 'waived'].includes(r.appearance?.state ?? '')
            ? 'text-error'
            : ''}">{r.item.due}</td
        >
        <td class="py-1.5 pr-2">{r.appearance?.assignee ?? ''}</td>
        <td class="py-1.5 text-right"><button class="quiet hover:underline" onclick={() => edit(r)}>Edit</button></td>
      </tr>
    {:else}
      <tr
        ><td colspan="9" class="quiet py-3"
          >{c.rows.length
            ? 'No entry is like that.'
            : 'The list is empty. Import it as CSV, or open a shot and add what must be hidden there.'}</td
        ></tr
      >
    {/each}
  </tbody>
</table>
<div bind:this={end} class="quiet h-6">
  {#if c.shown.length > c.limit}{c.shown.length - c.limit} more below{/if}
</div>
