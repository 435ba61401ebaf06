<script lang="ts">
  // The head of an item's row: its name and kind, whether its cover is locked, off or its
  // outline hidden, and, folded out where it is selected, its holdouts.
  import Eye from '@lucide/svelte/icons/eye';
  import EyeOff from '@lucide/svelte/icons/eye-off';
  import Focus from '@lucide/svelte/icons/focus';
  import Lock from '@lucide/svelte/icons/lock';
  import LockOpen from '@lucide/svelte/icons/lock-open';
  import type { Item } from '../../api/api';
  import { kinds } from '../../shared/format';
  import type { Bench } from '../bench.svelte';

  let { bench, item }: { bench: Bench; item: Item } = $props();
  const cover = $derived(bench.session.coverOf(item.id));
  const isSelected = $derived(bench.selection.itemId === item.id);
  const only = $derived(bench.session.document?.covers.some((c) => c.unseen) ?? false);
  const several = $derived((bench.session.document?.covers.length ?? 0) > 1);
  const unsaid = $derived(bench.sounding.passages.some((p) => p.item === item.id && !p.off && p.how !== 'keep'));
  const said = $derived.by(() => {
    if (!cover) return unsaid ? 'hidden in the sound' : 'no cover yet';
    const words = [cover.off ? 'off' : `f ${cover.span.first}–${cover.span.last}`];
    if (cover.draft) words.push('a draft');
    if (cover.locked) words.push('locked');
    if (cover.unseen) words.push('outline hidden');
    return words.join(', ');
  });
  const holdoutHead =
    'block h-[22px] w-full truncate border-b border-l-4 border-b-base-300 border-l-primary ' +
    'pr-2 pl-5 text-left text-[12px]';
  function click() {
    if (isSelected) bench.holdouts.close();
    else bench.selection.select(item.id);
  }
</script>

{#snippet mark(on: boolean, says: string, Icon: typeof Lock, run: () => void)}
  <button
    class="btn btn-square btn-ghost btn-xs {on ? 'text-primary' : 'quiet'}"
    aria-pressed={on}
    aria-label={says}
    title={says}
    onclick={run}><Icon size={13} /></button
  >
{/snippet}

<li>
  <div
    class="flex h-[28px] items-center border-b border-l-4 border-b-base-300 {isSelected
      ? 'border-l-primary bg-base-200'
      : 'border-l-transparent hover:bg-base-200'}"
  >
    <button
      class="flex h-full min-w-0 flex-1 items-baseline gap-1.5 px-1.5 text-left leading-[27px]"
      aria-current={isSelected}
      title="{item.name}: {kinds[item.kind]}, {said}"
      onclick={click}
    >
      <span class="truncate {isSelected ? 'font-medium text-primary' : ''} {cover?.off ? 'line-through' : ''}"
        >{item.name}</span
      >
      {#if !cover && unsaid}<span class="quiet shrink-0 text-[12px]">in the sound</span>
      {:else if !cover}<span class="shrink-0 text-[12px] text-warning">no cover</span>
      {:else if cover?.draft}<span class="shrink-0 border border-dashed border-warning px-1 text-[12px] leading-4"
          >draft</span
        >
      {:else if !isSelected}<span class="quiet shrink-0 text-[12px]">{kinds[item.kind]}</span>{/if}
      <span class="sr-only">{kinds[item.kind]}, {said}</span>
    </button>
    {#if cover && (isSelected || cover.locked)}
      {@render mark(
        !!cover.locked,
        cover.locked ? 'Unlock (U)' : 'Lock (U)',
        cover.locked ? Lock : LockOpen,
        () => (bench.selection.select(item.id), bench.selection.edit({ do: 'lock', on: !cover.locked })),
      )}
    {/if}
    {#if cover && (isSelected || cover.unseen)}
      {@render mark(
        !!cover.unseen,
        cover.unseen ? 'Show its outline (Shift+U)' : 'Hide its outline (Shift+U)',
        cover.unseen ? EyeOff : Eye,
        () => (bench.selection.select(item.id), bench.selection.edit({ do: 'unsee', on: !cover.unseen })),
      )}
    {/if}
    {#if cover && isSelected && several}
      {@render mark(only, only ? 'All outlines (A)' : 'Only this outline (A)', Focus, () =>
        bench.selection.edit({ do: 'only', on: !only }),
      )}
    {/if}
  </div>
  {#if isSelected}
    {#each bench.selection.holdouts as hold (hold.id)}
      <button
        class="{holdoutHead} {bench.selection.holdoutId === hold.id ? 'text-primary' : 'quiet'}"
        onclick={() => bench.holdouts.select(hold.id)}>{hold.name}</button
      >
    {/each}
  {/if}
</li>
