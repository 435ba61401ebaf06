<script lang="ts">
  // What is looked for by its picture: surfaces that were covered, and pictures that were given.
  import { counted } from '../shared/format';
  import type { Proposals } from './proposals.svelte';
  let { c }: { c: Proposals } = $props();
  let item = $state('');
  let file = $state<HTMLInputElement>();

  const marks = $derived(c.list?.marks ?? []);
  const named = (id: string) => c.list?.items.find((i) => i.id === id)?.name ?? '';
  const found = (id: string) => c.list?.proposals.filter((p) => p.mark === id).length ?? 0;

  const so = (m: (typeof marks)[number]) =>
    `${m.done} of ${counted(m.sources, 'source', 'sources')} looked through, ` +
    `${counted(found(m.id), 'find', 'finds')}${m.waiting ? `. ${m.waiting}` : ''}`;

  async function give() {
    const f = file?.files?.[0];
    if (!f || !item) return;
    await c.give(item, f);
    if (file) file.value = '';
  }
</script>

<div class="dropdown dropdown-end">
  <button class="btn btn-sm" aria-haspopup="menu"
    >Looked for by picture{#if marks.length}
      <span class="quiet">{marks.length}</span>{/if}</button
  >
  <div
    class="dropdown-content z-20 max-h-[70vh] w-[26rem] overflow-auto border border-base-300 bg-base-100 p-3"
    role="group"
    aria-label="Looked for by picture"
  >
    <p class="quiet text-[12px]">
      What a cover hides is looked for in all other shots once somebody said yes to it. A picture of a thing can be
      given too.
    </p>
    <ul class="flex flex-col gap-2 py-2" aria-label="What is looked for">
      {#each marks as m (m.id)}
        <li class="flex items-center gap-2 text-[12px]" data-testid="mark">
          <span class="flex h-10 w-20 shrink-0 items-center justify-center bg-black"
            ><img class="max-h-10 max-w-20" src="/api/marks/{m.id}/picture" alt="" loading="lazy" /></span
          >
          <span class="min-w-0 flex-1">
            <span class="block truncate font-medium">{named(m.item)}</span>
            <span class="quiet block truncate">from {m.name}</span>
            {#if m.error}<span class="block text-error" role="alert">{m.error}</span>
            {:else}<span class="quiet block truncate">{so(m)}</span>{/if}
          </span>
          {#if m.going}<button class="btn btn-xs" onclick={() => c.seek(m.id, 'stop')}>Stop</button>
          {:else if m.done < m.sources}<button class="btn btn-xs" onclick={() => c.seek(m.id, 'again')}>Go on</button
            >{/if}
          <button
            class="btn btn-xs"
            title="Look for it no more; what it found and nobody decided about goes too"
            onclick={() => c.drop(m.id)}>Remove</button
          >
        </li>
      {:else}
        <li class="quiet text-[12px]">Nothing yet.</li>
      {/each}
    </ul>
    <div class="flex items-center gap-2 border-t border-base-300 pt-2">
      <select class="select w-40 select-xs" aria-label="Item that the picture shows" bind:value={item}>
        <option value="" disabled>Item</option>
        {#each c.list?.items ?? [] as i (i.id)}<option value={i.id}>{i.name}</option>{/each}
      </select>
      <input
        bind:this={file}
        class="file-input min-w-0 flex-1 file-input-xs"
        type="file"
        accept="image/png,image/jpeg,image/svg+xml"
        aria-label="Picture to look for"
        disabled={!item}
        onchange={give}
      />
    </div>
  </div>
</div>
