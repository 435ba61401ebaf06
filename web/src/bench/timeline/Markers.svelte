<script lang="ts">
  // Markers of the shot on the ruler: flags with notes; a click goes to the frame and shows
  // the note, where it can be changed.
  import Trash2 from '@lucide/svelte/icons/trash-2';
  import type { Bench } from '../bench.svelte';
  import { core } from '../../core/core';
  import type { Scale } from './scale.svelte';

  let { bench, scale }: { bench: Bench; scale: Scale } = $props();
  const all = $derived(bench.session.document?.markers ?? []);
  const open = $derived(all.find((m) => m.id === bench.markers.open));

  function key(e: KeyboardEvent) {
    if (e.key !== 'Enter' && e.key !== 'Escape') return;
    e.stopPropagation();
    (e.currentTarget as HTMLInputElement).blur();
    bench.markers.open = '';
  }
</script>

<div class="relative h-0" data-testid="markers">
  {#each all as m (m.id)}
    {#if scale.shows(m.frame)}
      <button
        class="absolute bottom-0 h-[16px] w-[9px] -translate-x-px border-l border-(--marker) text-left"
        style="left:{scale.x(m.frame)}px"
        title={m.note || `Marker at f ${m.frame}`}
        aria-label="Marker at frame {m.frame}{m.note ? `: ${m.note}` : ''}"
        data-testid="marker"
        onclick={() => (bench.playhead.pause(), bench.playhead.seek(m.frame), (bench.markers.open = m.id))}
        ><span
          class="absolute top-0 left-0 h-0 w-0 border-y-[4px] border-l-[8px] border-y-transparent border-l-(--marker)"
        ></span></button
      >
    {/if}
  {/each}
  {#if open}
    <div
      class="absolute bottom-1 z-30 flex w-72 items-center gap-1 border border-base-300 bg-base-200 p-1.5 shadow-lg"
      style="left:clamp(0px,{scale.x(open.frame)}px - 40px,100% - 288px)"
    >
      <span class="tc quiet shrink-0 text-[12px]">{core.timecode({ frame: open.frame })}</span>
      <!-- svelte-ignore a11y_autofocus -->
      <input
        class="input flex-1 input-xs"
        aria-label="Note of the marker"
        placeholder="Note"
        value={open.note}
        maxlength="500"
        autofocus
        onkeydown={key}
        onchange={(e) => bench.markers.note(open, e.currentTarget.value)}
      />
      <button
        class="btn btn-square btn-ghost btn-xs"
        aria-label="Remove the marker"
        title="Remove the marker"
        onclick={() => bench.markers.remove(open)}><Trash2 size={13} /></button
      >
    </div>
  {/if}
</div>
