<script lang="ts">
  // What needs a person's eyes next: sent back, severe findings, doubtful, due; five at a time.
  import { counted } from '../shared/format';
  import { route } from '../shared/route.svelte';
  import { states } from '../shared/states';
  import type { Clearance, Row } from './list.svelte';

  let { c }: { c: Clearance } = $props();
  const today = new Date().toISOString().slice(0, 10);
  const soon = new Date(Date.now() + 2 * 86_400_000).toISOString().slice(0, 10);
  const most = 5;
  const grave = 40; // of an urgency
  const card = 'flex h-full flex-col gap-0.5 border border-l-4 border-base-300 px-2 py-1.5 hover:bg-base-200';

  /** Why a row needs eyes, the more urgent the higher; 0 where it does not. */
  function urgency(r: Row): [number, string] {
    const a = r.appearance;
    if (!a || a.state === 'approved' || a.state === 'waived') return [0, ''];
    if (a.state === 'back') return [60, a.note ? `sent back: ${a.note}` : 'sent back'];
    if (r.item.due && r.item.due < today) return [50, `overdue since ${r.item.due}`];
    if (a.severe) return [40, a.severe === 1 ? 'one severe finding' : `${a.severe} severe findings`];
    if (a.drafts) {
      const doubt = a.doubtful ? `, doubtful on ${counted(a.doubtful, 'frame', 'frames')}` : '';
      return [35 + Math.min(a.doubtful / 100, 4), `${counted(a.drafts, 'draft', 'drafts')} to look at${doubt}`];
    }
    if (r.item.due && r.item.due <= soon) return [30, `due ${r.item.due}`];
    if (a.state === 'ready') return [20, 'to be reviewed'];
    if (a.covered && a.doubtful) return [15, `doubtful on ${counted(a.doubtful, 'frame', 'frames')}`];
    if (a.covered && !a.checked) return [10, 'not checked as it stands'];
    return [0, ''];
  }
  const all = $derived(
    c.rows
      .map((row) => ({ row, why: urgency(row) }))
      .filter((x) => x.why[0] > 0)
      .sort((x, y) => y.why[0] - x.why[0] || (x.row.item.due || '9').localeCompare(y.row.item.due || '9')),
  );
  let from = $state(0);
  const page = $derived(all.slice(from < all.length ? from : 0).slice(0, most));
  const to = (r: Row) =>
    r.appearance!.state === 'ready'
      ? `/review/${c.programme}`
      : `/shots/${r.shot!.id}?item=${r.item.id}${r.appearance!.severe ? '&step=check' : ''}`;
</script>

{#if all.length}
  <section class="flex flex-col gap-1" aria-labelledby="eyes-title" data-testid="eyes">
    <div class="flex items-baseline gap-2">
      <h2 id="eyes-title" class="text-[15px] font-semibold">Needs eyes next</h2>
      <span class="quiet text-[12px]">{all.length}</span>
      {#if all.length > most}<button
          class="quiet ml-auto text-[12px] hover:underline"
          onclick={() => (from = from + most < all.length ? from + most : 0)}
          >{from + most < all.length ? 'The next five' : 'From the first again'}</button
        >{/if}
    </div>
    <ol class="grid grid-cols-[repeat(auto-fit,minmax(200px,1fr))] gap-2">
      {#each page as { row, why } (row.key)}
        {@const s = states[row.appearance!.state]}
        <li>
          <a
            class="{card} {why[0] >= grave ? 'border-l-error' : 'border-l-primary'}"
            href={to(row)}
            onclick={route.follow}
          >
            <span class="truncate font-medium"
              ><span class={s.colour} aria-hidden="true">{s.mark}</span> {row.item.name}</span
            >
            <span class="line-clamp-2 text-[12px] {why[0] >= grave ? 'text-error' : ''}">{why[1]}</span>
            <span class="quiet mt-auto truncate text-[12px]">{row.shot?.name}</span>
          </a>
        </li>
      {/each}
    </ol>
  </section>
{/if}
