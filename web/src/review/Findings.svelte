<script lang="ts">
  // What the check found of an item, each to be waived with a reason.
  import { api, ask, type Review } from '../api/api';
  import { still } from '../bench/check/checking.svelte';

  interface Props {
    item: Review['items'][number];
    checked: boolean; // as it stands
    who: string;
    seek: (f: number) => void;
    onwaived: () => void;
    onerror: (words: string) => void;
  }
  let { item, checked, who, seek, onwaived, onerror }: Props = $props();
  let waiving = $state('');
  let reason = $state('');

  async function waive(e: Event, id: string) {
    e.preventDefault();
    try {
      await ask(api.POST('/api/findings/{id}/waive', { params: { path: { id } }, body: { by: who, reason } }));
      waiving = reason = '';
      onerror('');
      onwaived();
    } catch (x) {
      onerror((x as Error).message);
    }
  }
</script>

<div class="flex flex-col gap-1.5" data-testid="review-findings">
  <h3 class="font-semibold">
    Findings <span class="quiet font-normal">{checked ? '' : '(not checked as it stands)'}</span>
  </h3>
  {#each item.findings as f (f.id)}
    <div
      class="border-l-4 bg-base-200 p-1.5 text-[12px] {f.state === 'waived'
        ? 'border-l-(--slat-off)'
        : f.severity === 'severe'
          ? 'border-l-(--lost)'
          : 'border-l-(--minor)'}"
    >
      <button class="text-left" onclick={() => seek(f.frame)}
        ><b>{f.title}</b> <span class="quiet">{f.state === 'waived' ? 'waived' : f.severity}</span><br
        />{f.says}</button
      >
      {#if f.recovered}<img
          class="mt-1 w-full bg-black"
          src="/api/findings/{f.id}/recovered?r={f.revision}"
          alt="The original above, what was made out below"
        />
      {:else}<img
          class="mt-1 w-full bg-black"
          loading="lazy"
          src={still(f)}
          alt="The picture as it would be delivered, f {f.frame}"
        />{/if}
      {#if f.state === 'waived'}<p>Waived by {f.by}: {f.reason}</p>
      {:else if waiving === f.id}
        <form class="mt-1 flex gap-1" onsubmit={(e) => waive(e, f.id)}>
          <input
            class="input flex-1 input-xs"
            aria-label="Reason for waiving it"
            bind:value={reason}
            required
            maxlength="2000"
          /><button class="btn btn-xs">Waive it</button>
        </form>
      {:else}<button class="btn mt-1 btn-xs" onclick={() => ((waiving = f.id), (reason = ''))}
          >Waive with a reason</button
        >{/if}
    </div>
  {:else}<p class="quiet text-[12px]">{checked ? 'None.' : 'The check has not come to it yet.'}</p>{/each}
</div>
