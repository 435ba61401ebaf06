<script lang="ts">
  // What was found in this shot: one key accepts what is in hand.
  import type { FoundHere } from './found.svelte';
  let { found }: { found: FoundHere } = $props();
</script>

<section class="flex flex-col gap-2 border-b border-base-300 p-2.5" aria-label="Found in this shot" data-testid="found">
  <div class="flex items-center gap-2">
    <span class="flex-1 font-medium">Found in this shot</span>
    <span class="quiet text-[12px]">{found.rows.length}</span>
    <button class="btn btn-xs" onclick={() => void found.toggle()}>Close</button>
  </div>
  {#if found.rows.length}
    <ul class="flex max-h-56 flex-col overflow-auto">
      {#each found.rows as r, i (r.id)}
        <li>
          <button
            class="flex w-full items-center gap-2 border-l-4 px-1 py-0.5 text-left text-[12px] {i === found.at
              ? 'border-primary bg-base-200'
              : 'border-transparent hover:bg-base-200'}"
            aria-current={i === found.at}
            onclick={() => found.show(i)}
          >
            <img
              class="h-7 w-16 shrink-0 bg-black object-contain"
              src="/api/proposals/{r.id}/still"
              alt=""
              loading="lazy"
            />
            <span class="min-w-0 flex-1 truncate">{r.text || (r.mark ? 'What looks like an item' : 'A face')}</span>
            <span class="quiet shrink-0">{r.asked ? 'on the list' : r.kind}</span>
          </button>
        </li>
      {/each}
    </ul>
    <div class="grid grid-cols-2 gap-1">
      <button class="btn btn-primary btn-xs" onclick={() => void found.accept()}>Cover it (Alt+C)</button>
      <button class="btn btn-xs" onclick={() => void found.unneeded()}>It needs none (Alt+N)</button>
    </div>
  {:else}
    <p class="quiet text-[12px]">Nothing that was found here waits for a decision.</p>
  {/if}
</section>
