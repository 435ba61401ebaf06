<script lang="ts">
  // The head of the sound's row: what is heard.
  import Plus from '@lucide/svelte/icons/plus';
  import type { Sounding } from './sounding.svelte';

  let { sounding }: { sounding: Sounding } = $props();
  const name = (i: number) => {
    const t = sounding.all[i]!;
    return [`${i + 1}`, t.title, t.language, t.channels === 1 ? 'mono' : t.channels === 2 ? 'stereo' : t.layout]
      .filter(Boolean)
      .join(' ');
  };
  const heard = $derived(sounding.tracks.join(','));
  const pairs = $derived(sounding.all.length > 1 ? sounding.all.map((_, i) => i) : []);
</script>

<div class="flex items-center gap-1 self-center pl-2 text-[12px]">
  {#if sounding.all.length > 1}
    <select
      class="select w-28 select-xs"
      aria-label="Sound track that is heard"
      value={heard}
      onchange={(e) => sounding.listen(e.currentTarget.value.split(',').map(Number))}
    >
      {#each sounding.all as _, i (i)}<option value={`${i}`}>{name(i)}</option>{/each}
      <option value={pairs.join(',')}>All tracks</option>
      {#if sounding.all.length > 2}<option value="0,1">1 and 2</option>{/if}
    </select>
  {:else}
    <span class="quiet">Sound</span>
  {/if}
  <button
    class="btn ml-auto gap-0.5 btn-ghost px-1 btn-xs"
    aria-label="Mark a passage of the sound (Alt+A)"
    title="Mark a passage of the sound (Alt+A)"
    onclick={() => sounding.addHere()}><Plus size={13} /> Passage</button
  >
</div>
