<script lang="ts">
  import { onMount } from 'svelte';
  import type { Bench } from '../bench.svelte';
  import Deliveries from '../../programme/Deliveries.svelte';

  import { remembered } from '../../shared/remembered';

  let { bench, onclose }: { bench: Bench; onclose: () => void } = $props();
  let dialog = $state<HTMLDialogElement>();
  const presets = [
    ['review', 'Review copy: H.264 in MP4, plays everywhere'],
    [
      'archive',
      'Archive master: FFV1 in Matroska, lossless; every sample outside the covers is proved equal to the source',
    ],
  ] as const;
  let preset = $state<'review' | 'archive' | 'still'>(remembered.preset);
  const still = $derived(bench.shot.view!.sourceInfo.info.still);
  let name = $state('');
  onMount(() => {
    name = bench.shot.view!.name.replace(/\.[A-Za-z]{3,4}$/, '');
    if (still) preset = 'still';
    dialog?.showModal();
  });
  const ready = $derived(bench.shot.view!.sourceInfo.state === 'ready');
</script>

<dialog bind:this={dialog} class="modal" aria-label="Deliver" {onclose}>
  <div class="modal-box flex max-w-xl flex-col gap-3 p-4">
    <h2 class="text-base font-semibold">Deliver {bench.shot.view!.name}</h2>
    <form
      class="flex flex-col gap-3"
      onsubmit={(e) => {
        e.preventDefault();
        if (preset !== 'still') remembered.preset = preset;
        void bench.deliveries.deliver(preset, name);
      }}
    >
      <fieldset class="flex flex-col gap-1">
        <legend class="sr-only">Format</legend>
        {#if still}
          <p>
            A still picture, as {still.toUpperCase()} like the source: {still === 'jpeg'
              ? 'encoded again at the highest quality; how far it is off outside the covers is measured'
              : 'every sample outside the covers is proved equal to the source'}. Embedded thumbnails and notes are left
            out.
          </p>
        {:else}
          {#each presets as [value, words] (value)}
            <label class="flex gap-2">
              <input type="radio" class="radio radio-sm" name="preset" {value} bind:group={preset} />
              {words}
            </label>
          {/each}
        {/if}
      </fieldset>
      <div class="flex gap-2">
        <input class="input flex-1 input-sm" aria-label="Name of the file" bind:value={name} required maxlength="120" />
        <button class="btn btn-primary btn-sm" disabled={!ready}>Deliver</button>
      </div>
      {#if !ready}<p class="quiet">The source is still being brought in.</p>{/if}
      {#if bench.notice.text}<p class="text-error" role="alert">{bench.notice.text}</p>{/if}
    </form>
    {#if bench.deliveries.all.length}<div class="max-h-72 overflow-auto">
        <Deliveries list={bench.deliveries.all} />
      </div>{/if}
    <form method="dialog"><button class="btn btn-sm">Close</button></form>
  </div>
</dialog>
