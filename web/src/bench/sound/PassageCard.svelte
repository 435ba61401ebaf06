<script lang="ts">
  // The card of a passage of the sound that is in hand.
  import Play from '@lucide/svelte/icons/play';
  import X from '@lucide/svelte/icons/x';
  import NumberField from '../../shared/NumberField.svelte';
  import type { Item, Passage } from '../../api/api';
  import type { Sounding } from './sounding.svelte';

  interface Props {
    sounding: Sounding;
    items: Item[];
    frames: number; // of the shot
  }
  let { sounding, items, frames }: Props = $props();
  const p = $derived(sounding.passage!);
  const ways: [Passage['how'], string, string][] = [
    ['mute', 'Mute', 'Nothing is heard'],
    ['tone', 'Tone', 'A tone takes its place'],
    ['voice', 'Voice', 'Another voice says it: nobody knows who speaks'],
    ['keep', 'Keep', 'As the source has it, whatever passages before say'],
  ];
  const channels = $derived(Math.max(...sounding.all.map((t) => t.channels)));
  const done = (e: KeyboardEvent) => e.key === 'Enter' && (e.currentTarget as HTMLInputElement).blur();

  /** The list without or with one of all; all of them is said by none. */
  function toggled(list: number[] | undefined, i: number, all: number): number[] | undefined {
    const now = list?.length ? list : Array.from({ length: all }, (_, k) => k);
    const next = now.includes(i) ? now.filter((k) => k !== i) : [...now, i].sort((a, b) => a - b);
    return next.length === all ? [] : next.length ? next : now;
  }
  const has = (list: number[] | undefined, i: number) => !list?.length || list.includes(i);
</script>

<div class="flex items-center justify-between">
  <h2 class="font-medium">Passage of sound</h2>
  <button
    class="btn btn-square btn-ghost btn-xs"
    aria-label="Back to the item (Esc)"
    title="Back to the item (Esc)"
    onclick={() => (sounding.picked = '')}><X size={14} /></button
  >
</div>
<label class="flex items-center justify-between gap-2"
  ><span class="quiet">Name</span><input
    class="input w-44 input-xs"
    value={p.name}
    maxlength="200"
    onkeydown={done}
    onchange={(e) => e.currentTarget.value.trim() && sounding.change({ name: e.currentTarget.value.trim() })}
  /></label
>
<label class="flex items-center justify-between gap-2"
  ><span class="quiet">Item</span><select
    class="select w-44 select-xs"
    value={p.item ?? ''}
    onchange={(e) => sounding.change({ item: e.currentTarget.value })}
  >
    <option value="">None</option>
    {#each items as it (it.id)}<option value={it.id}>{it.name}</option>{/each}
  </select></label
>
<div class="grid grid-cols-4" role="group" aria-label="What becomes of it">
  {#each ways as [how, name, says] (how)}
    <button
      class="btn rounded-none px-0 btn-xs {p.how === how ? 'btn-primary' : ''}"
      aria-pressed={p.how === how}
      title={says}
      onclick={() => sounding.change({ how })}>{name}</button
    >
  {/each}
</div>
{#if p.how === 'tone'}
  <NumberField
    label="Pitch"
    unit="Hz"
    value={p.pitch ?? 1000}
    min={20}
    max={20000}
    step={10}
    digits={0}
    onchange={(pitch) => sounding.change({ pitch })}
  />
  <NumberField
    label="Level"
    unit="dB"
    value={p.level ?? -20}
    min={-90}
    max={0}
    digits={1}
    onchange={(level) => sounding.change({ level })}
  />
{:else if p.how === 'voice'}
  <p class="quiet text-[12px]">
    Pitch and formants are drawn anew for every delivery and kept nowhere. What is said, and how fast, stays: a name
    that is spoken needs a mute or a tone.
  </p>
{/if}
<NumberField
  label="Begins"
  unit="f"
  value={p.from}
  min={0}
  max={frames}
  digits={2}
  onchange={(from) => sounding.change({ from })}
/>
<NumberField
  label="Ends"
  unit="f"
  value={p.to}
  min={0}
  max={frames}
  digits={2}
  onchange={(to) => sounding.change({ to })}
/>
<div class="grid grid-cols-2 gap-1">
  <button class="btn btn-xs" onclick={() => sounding.edge('from')}>Begins here</button>
  <button class="btn btn-xs" onclick={() => sounding.edge('to')}>Ends here</button>
</div>
<NumberField
  label="Fade beyond"
  unit="ms"
  value={p.fade}
  min={0}
  max={1000}
  digits={0}
  onchange={(fade) => sounding.change({ fade })}
/>
{#if sounding.all.length > 1}
  <h3 class="quiet text-[12px]">Tracks</h3>
  <div class="flex flex-wrap gap-x-3 gap-y-1">
    {#each sounding.all as t, i (i)}<label class="flex items-center gap-1 text-[12px]"
        ><input
          type="checkbox"
          class="checkbox checkbox-xs"
          checked={has(p.tracks, i)}
          onchange={() => sounding.change({ tracks: toggled(p.tracks, i, sounding.all.length) })}
        />{i + 1}{t.language ? ` ${t.language}` : ''}</label
      >{/each}
  </div>
{/if}
{#if channels > 1}
  <h3 class="quiet text-[12px]">Channels</h3>
  <div class="flex flex-wrap gap-x-3 gap-y-1">
    {#each { length: channels } as _, i (i)}<label class="flex items-center gap-1 text-[12px]"
        ><input
          type="checkbox"
          class="checkbox checkbox-xs"
          checked={has(p.channels, i)}
          onchange={() => sounding.change({ channels: toggled(p.channels, i, channels) })}
        />{i + 1}</label
      >{/each}
  </div>
{/if}
<div class="flex gap-1">
  <button class="btn flex-1 btn-xs" title="With a second before and after" onclick={() => sounding.play()}
    ><Play size={12} /> Play it</button
  >
  <div class="join" role="group" aria-label="What is heard">
    <button
      class="btn join-item px-1.5 btn-xs {sounding.original ? '' : 'bg-base-300'}"
      aria-pressed={!sounding.original}
      onclick={() => sounding.setOriginal(false)}>Delivered</button
    >
    <button
      class="btn join-item px-1.5 btn-xs {sounding.original ? 'bg-base-300' : ''}"
      aria-pressed={sounding.original}
      onclick={() => sounding.setOriginal(true)}>Source</button
    >
  </div>
</div>
<label class="flex items-center justify-between"
  ><span class="quiet">Switched on</span><input
    type="checkbox"
    class="toggle toggle-xs"
    checked={!p.off}
    onchange={(e) => sounding.change({ off: !e.currentTarget.checked })}
  /></label
>
<button class="btn btn-xs" onclick={() => sounding.remove()}>Remove the passage</button>
