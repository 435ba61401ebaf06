<script lang="ts">
  import type { Checking } from './checking.svelte';
  import type { Playhead } from '../playhead.svelte';
  import type { Selection } from '../selection.svelte';
  import type { OpenShot } from '../shot.svelte';
  import type { Finding, Decision } from '../../api/api';
  import { api, ask } from '../../api/api';
  import { still } from './checking.svelte';
  import { states } from '../../shared/states';

  interface Props {
    checking: Checking;
    playhead: Playhead;
    selection: Selection;
    shot: OpenShot;
  }
  let { checking, playhead, selection, shot }: Props = $props();
  const here = $derived(
    checking.all.filter((f) => f.cover === selection.cover?.id || f.item === selection.itemId || f.cover === ''),
  );
  const elsewhere = $derived(checking.open.filter((f) => !here.includes(f)).length);
  let waiving = $state('');
  let reason = $state('');
  let notes = $state.raw<Decision[]>([]);
  $effect(() => {
    void shot.view?.appearances;
    const item = selection.itemId;
    void ask(api.GET('/api/shots/{id}/review', { params: { path: { id: shot.id } } })).then(
      (r) => (notes = r.items.find((i) => i.item.id === item)?.decisions.filter((d) => d.note) ?? []),
      () => {},
    );
  });
  const frames = (f: Finding) => f.frames.map((s) => (s.first === s.last ? `${s.first}` : `${s.first}–${s.last}`));
  async function waive(e: Event, f: Finding) {
    e.preventDefault();
    await checking.waive(f, reason);
    waiving = '';
    reason = '';
  }
</script>

<div class="flex items-center gap-2" data-testid="check-state">
  <span
    class="{checking.severe ? 'font-semibold text-error' : checking.said === 'clean' ? 'text-success' : ''} flex-1"
    role="status">{checking.severe && checking.current ? '▼ ' : ''}{checking.said}</span
  >
  <button class="btn btn-xs" onclick={() => checking.run()} disabled={checking.running && checking.result?.awaited}
    >Check now</button
  >
</div>
{#if checking.result?.state === 'running' && checking.result.frames}<progress
    class="progress h-1.5 w-full progress-primary"
    value={checking.result.done}
    max={checking.result.frames}
    aria-label="Frames checked"
  ></progress>{/if}
{#if checking.running && checking.result?.waiting}<p class="text-[12px]" role="status">
    {checking.result.waiting}
  </p>{/if}
{#if checking.result?.error}<p class="text-[12px] text-error" role="alert">{checking.result.error}</p>{/if}

<ul class="flex flex-col gap-1.5" data-testid="findings">
  {#each here as f (f.id)}
    {@const isSelected = checking.picked === f.id}
    <li
      class="border-l-4 border-base-300 {f.state === 'waived'
        ? 'opacity-80'
        : f.severity === 'severe'
          ? 'border-l-(--lost)'
          : 'border-l-(--minor)'} flex flex-col gap-1 bg-base-200 p-1.5"
      data-testid="finding"
      data-kind={f.kind}
      data-state={f.state}
    >
      <button class="text-left" onclick={() => checking.go(f)} aria-current={isSelected}>
        <span class="font-semibold">{f.title}</span>
        <span class="quiet text-[12px]"
          >{f.state === 'waived' ? 'waived' : f.severity}, {f.figure < 10
            ? f.figure.toFixed(1).replace('.0', '')
            : f.figure.toFixed(0)}
          {f.unit}</span
        >
        <span class="tc block truncate text-[12px]"
          >f {frames(f).slice(0, 4).join(', ')}{f.frames.length > 4 ? ' …' : ''}</span
        >
      </button>
      {#if isSelected || here.length === 1}
        <p class="text-[12px]">{f.says}</p>
        {#if f.recovered}
          <figure class="flex flex-col gap-0.5">
            <img
              class="w-full bg-black"
              style="image-rendering:auto"
              src="/api/findings/{f.id}/recovered?r={f.revision}"
              alt="The original above, what was made out below"
              data-testid="recovered"
            />
            <figcaption class="quiet text-[12px]">
              Above the original, below what the frames give away.
              {#if f.evidence}A machine reads “{f.evidence}”.{/if}
            </figcaption>
          </figure>
        {:else}
          <img
            class="w-full bg-black"
            src={still(f)}
            alt="The picture as it would be delivered, f {f.frame}"
            data-testid="still"
          />
        {/if}
        {#if f.state === 'waived'}
          <p class="text-[12px]">Waived by {f.by}: {f.reason}</p>
          <button class="btn self-start btn-xs" onclick={() => checking.waive(f, '')}>Open it again</button>
        {:else if waiving === f.id}
          <form class="flex flex-col gap-1" onsubmit={(e) => waive(e, f)}>
            <!-- svelte-ignore a11y_autofocus -->
            <input
              class="input input-xs"
              aria-label="Reason for waiving it"
              placeholder="Why it may stand"
              bind:value={reason}
              required
              maxlength="2000"
              autofocus
              onkeydown={(e) => e.key === 'Escape' && (waiving = '')}
            />
            <div class="flex gap-1">
              <button class="btn btn-primary btn-xs">Waive</button><button
                type="button"
                class="btn btn-xs"
                onclick={() => (waiving = '')}>Cancel</button
              >
            </div>
          </form>
        {:else}
          {@const m = checking.mend(f)}
          <div class="flex flex-wrap gap-1">
            {#if m}<button class="btn btn-primary btn-xs" title="Shift+G" onclick={m.run}>{m.says}</button>{/if}
            <button class="btn btn-xs" onclick={() => ((waiving = f.id), (reason = ''))}>Waive with a reason</button>
          </div>
        {/if}
      {/if}
    </li>
  {:else}
    <li class="quiet text-[12px]">
      {checking.current
        ? 'Nothing was found on this item: neither exposed, nor bare at its ends, ' +
          'nor readable, on one frame or over all.'
        : checking.running
          ? 'The check begins when you pause.'
          : 'Not checked as it stands.'}
    </li>
  {/each}
</ul>
{#if elsewhere}<button class="quiet text-left text-[12px] underline" onclick={() => checking.next(1)}
    >{elsewhere} more on other items (Ctrl+↓)</button
  >{/if}

{#if checking.appearance}
  {@const s = states[checking.appearance.state]}
  <div class="mt-1 flex flex-col gap-1.5 border-t border-base-300 pt-2" data-testid="standing">
    <p>
      <span class={s.colour} aria-hidden="true">{s.mark}</span>
      <span class="font-semibold">{s.name}</span>{#if checking.appearance.by}<span class="quiet text-[12px]"
          >, {checking.appearance.by}</span
        >{/if}
    </p>
    {#if checking.appearance.state !== 'ready' && checking.appearance.state !== 'approved'}
      <button
        class="btn btn-sm {checking.severe ? '' : 'btn-primary'}"
        onclick={() => checking.move('ready')}
        disabled={!selection.cover}>Ready for review</button
      >
      {#if checking.severe}<p class="quiet text-[12px]">It cannot be approved while severe findings are open.</p>{/if}
    {:else}
      <button class="btn self-start btn-xs" onclick={() => checking.move('work')}>Back to work</button>
    {/if}
    {#each notes.slice(0, 3) as n (n.id)}
      <button
        class="bg-base-200 p-1.5 text-left text-[12px]"
        disabled={n.frame === undefined}
        onclick={() => n.frame !== undefined && playhead.seek(n.frame)}
        data-testid="note"
      >
        <span class="quiet">{n.by}{n.frame !== undefined ? `, f ${n.frame}` : ''}:</span>
        {n.note}
      </button>
    {/each}
  </div>
{/if}
