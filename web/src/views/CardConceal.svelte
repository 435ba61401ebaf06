<script lang="ts">
  import ArrowDown from '@lucide/svelte/icons/arrow-down';
  import ArrowUp from '@lucide/svelte/icons/arrow-up';
  import EyeOff from '@lucide/svelte/icons/eye-off';
  import Trash2 from '@lucide/svelte/icons/trash-2';
  import type { Item } from '../lib/api';
  import type { Bench } from '../lib/bench.svelte';
  import { core } from '../lib/core';
  import { kinds as itemKinds } from '../lib/format';
  import NumberField from './NumberField.svelte';
  import ScopeSwitch from './ScopeSwitch.svelte';
  import TreatmentSettings from './TreatmentSettings.svelte';

  let { b, item }: { b: Bench; item: Item } = $props();
  const c = $derived(b.conceals);
  const cover = $derived(b.cover!);
  const h = $derived(b.held!);
  const locked = $derived(!!cover.locked);
  const kinds = core.kinds();
  const title = (k: string) => kinds.find((x) => x.kind === k)?.title ?? k;
  const t = $derived(c.treatment);
  const keyed = $derived(h.lanes.some((l) => l.name.startsWith('treatment/') || l.name === 'transparency'));
  const th = $derived(c.through);
  const shows = $derived(th ? Math.round(100 * th.detail) : 0);
  const side = $derived(cover.softenSide || 'outside');
  const soft = $derived((h.values['soften/across'] ?? 0) + (h.values['soften/down'] ?? 0) > 0);
  let naming = $state(false);
  let name = $state('');
  let forKind = $state(true);
  let given = $state<string[]>([]);

  // What shows through is asked for again whenever the covers or the frame change.
  $effect(() => {
    void b.drawn;
    void b.frame;
    void b.saving;
    if (b.speed === 0 && !b.saving) c.look();
  });
</script>

<label class="flex items-center justify-between gap-2"
  ><span class="quiet">House style</span>
  <select
    class="select w-24 select-xs"
    aria-label="House style"
    disabled={locked}
    value={cover.style ?? ''}
    onchange={(e) => c.wear(e.currentTarget.value)}
  >
    <option value="">None</option>
    {#each c.styles as s (s.id)}<option value={s.id}>{s.name}</option>{/each}
  </select>
</label>
{#if c.deviates}
  <p class="text-[12px] text-warning" data-testid="deviates">Differs from {c.style!.name}.</p>
  <div class="grid grid-cols-2 gap-1">
    <button class="btn px-1 btn-xs" disabled={locked} onclick={() => c.wear(c.style!.id)}>Back to it</button>
    <button class="btn px-1 btn-xs" title="Every cover that follows it changes too" onclick={() => void c.changeStyle()}
      >Change style</button
    >
  </div>
{/if}
{#if c.said}<p class="quiet text-[12px]" role="status">{c.said}</p>{/if}

<ol class="flex flex-col gap-px" aria-label="Treatments, in order">
  {#each cover.treatments as x, i (x.id)}
    <li class="flex items-center border-l-4 {x.id === t?.id ? 'border-primary bg-base-200' : 'border-base-300'}">
      <input
        type="checkbox"
        class="checkbox ml-1 checkbox-xs"
        aria-label="{title(x.kind)} {i + 1} is on"
        checked={!x.off}
        disabled={locked}
        onchange={(e) => {
          c.take(x.id);
          c.change((y) => ({ ...y, off: !e.currentTarget.checked || undefined }));
        }}
      />
      <button
        class="mr-auto min-w-0 flex-1 truncate px-1.5 py-0.5 text-left {x.off ? 'line-through opacity-70' : ''}"
        aria-pressed={x.id === t?.id}
        onclick={() => c.take(x.id)}>{title(x.kind)}</button
      >
      {#if cover.treatments.length > 1}
        <button
          class="btn btn-square btn-ghost btn-xs"
          disabled={locked || i === 0}
          aria-label="{title(x.kind)} {i + 1} earlier"
          onclick={() => c.move(x.id, -1)}><ArrowUp size={12} /></button
        >
        <button
          class="btn btn-square btn-ghost btn-xs"
          disabled={locked || i === cover.treatments.length - 1}
          aria-label="{title(x.kind)} {i + 1} later"
          onclick={() => c.move(x.id, 1)}><ArrowDown size={12} /></button
        >
        <button
          class="btn btn-square btn-ghost btn-xs"
          disabled={locked}
          aria-label="Remove {title(x.kind)} {i + 1}"
          onclick={() => c.remove(x.id)}><Trash2 size={12} /></button
        >
      {/if}
    </li>
  {/each}
</ol>
{#if t}
  <div class="grid grid-cols-3 gap-1" role="group" aria-label="Treatment">
    {#each kinds as k (k.kind)}
      <button
        class="btn px-0.5 btn-xs {t.kind === k.kind ? 'btn-primary' : ''}"
        disabled={locked}
        aria-pressed={t.kind === k.kind}
        onclick={() => c.become(k.kind)}>{k.title}</button
      >
    {/each}
  </div>
  <TreatmentSettings {b} {t} />
{/if}
<select
  class="select select-xs"
  aria-label="Add a treatment"
  disabled={locked}
  value=""
  onchange={(e) => {
    c.add(e.currentTarget.value);
    e.currentTarget.value = '';
  }}
>
  <option value="" disabled>Add a treatment</option>
  {#each kinds as k (k.kind)}<option value={k.kind}>{k.title}</option>{/each}
</select>

<div class="flex flex-col gap-1 border-y border-base-300 py-1.5" data-testid="through">
  {#if th && th.stroke > 0}
    <p class="text-[12px] {th.readable ? 'text-error' : 'quiet'}" role={th.readable ? 'alert' : undefined}>
      {#if th.readable}The picture shows through: {shows} % of its strokes can be made out at f {b.here}.{:else}{shows} %
        of the strokes ({th.stroke.toFixed(0)} px) can be made out at f {b.here}; from {Math.round(100 * th.from)} % on they
        can be read.{/if}
    </p>
    <progress
      class="progress w-full {th.readable ? 'progress-error' : 'progress-success'}"
      value={shows}
      max="100"
      aria-label="What of the strokes can be made out"
    ></progress>
  {:else}
    <p class="quiet text-[12px]">Nothing here that could be read.</p>
  {/if}
  {#if th && th.bare > 0.002}<p class="text-[12px] text-error" role="alert">
      The graphic is too small: {Math.max(Math.round(100 * th.bare), 1)} % of the outline stays bare.
    </p>{/if}
</div>

<NumberField
  label="Opacity"
  unit="%"
  digits={0}
  value={100 * (1 - (h.values['transparency'] ?? 0))}
  min={0}
  max={100}
  onchange={(v) => b.set(['transparency'], 1 - v / 100)}
  keyed={b.keyState('transparency')}
  disabled={locked}
  onkey={() => b.toggleKey('transparency')}
/>
<label class="flex items-center justify-between gap-2"
  ><span class="quiet">Soft edge</span>
  <select
    class="select w-24 select-xs"
    aria-label="Soft edge"
    disabled={locked}
    value={side}
    onchange={(e) => b.onCover({ do: 'softenSide', name: e.currentTarget.value })}
  >
    <option value="outside">Outside</option><option value="inside">Inside</option><option value="both"
      >Both sides</option
    >
  </select>
</label>
{#if side !== 'outside' && soft}<p class="text-[12px] text-warning">
    The rim of the outline shows through its soft edge.
  </p>{/if}
{#if keyed}
  <ScopeSwitch label="A change of a keyed number is for" bind:scope={b.valueScope} />
{/if}

{#if t}
  {#if c.other}
    <button class="btn btn-primary btn-xs" onclick={() => c.choose(false)}>Compare no more</button>
  {:else}
    <select
      class="select select-xs"
      aria-label="Compare with another treatment"
      disabled={locked}
      value=""
      onchange={(e) => {
        c.compare(e.currentTarget.value);
        e.currentTarget.value = '';
      }}
    >
      <option value="" disabled>Compare with another</option>
      {#each kinds.filter((k) => k.kind !== t.kind && k.kind !== 'patch') as k (k.kind)}<option value={k.kind}
          >{k.title}</option
        >{/each}
    </select>
  {/if}
{/if}
<details bind:open={c.sharing}>
  <summary class="quiet cursor-pointer text-[12px]">To other covers</summary>
  <div class="flex flex-col gap-1 pt-1">
    {#if c.others.length}
      {#each c.others as o (o.id)}
        <label class="flex items-center gap-1.5"
          ><input type="checkbox" class="checkbox checkbox-xs" value={o.id} bind:group={given} disabled={o.locked} />
          <span class="truncate">{o.name}</span></label
        >
      {/each}
      <button
        class="btn btn-xs"
        disabled={!given.length}
        onclick={() => {
          c.give(given);
          given = [];
        }}>Give them this treatment</button
      >
      <label class="flex items-center justify-between gap-1"
        ><span class="quiet text-[12px]">Motion of</span>
        <select
          class="select w-28 select-xs"
          aria-label="Take the motion of"
          disabled={locked}
          value=""
          onchange={(e) => {
            c.moveLike(e.currentTarget.value);
            e.currentTarget.value = '';
          }}
        >
          <option value="" disabled>another</option>
          {#each c.others as o (o.id)}<option value={o.id}>{o.name}</option>{/each}
        </select>
      </label>
    {:else}<p class="quiet text-[12px]">There is no other cover in this shot.</p>{/if}
    {#if naming}
      <form
        class="flex flex-col gap-1"
        onsubmit={(e) => {
          e.preventDefault();
          naming = false;
          void c.saveStyle(name, forKind ? [item.kind] : []);
          name = '';
        }}
      >
        <!-- svelte-ignore a11y_autofocus -->
        <input
          class="input input-xs"
          aria-label="Name of the house style"
          placeholder="Name of the style"
          bind:value={name}
          required
          maxlength="120"
          autofocus
        />
        <label class="flex items-center gap-1.5 text-[12px]"
          ><input type="checkbox" class="checkbox checkbox-xs" bind:checked={forKind} /> for every new {itemKinds[
            item.kind
          ].toLowerCase()}</label
        >
        <button class="btn btn-primary btn-xs">Save the style</button>
      </form>
    {:else}
      <button class="btn btn-xs" onclick={() => (naming = true)}>Save as a house style</button>
    {/if}
  </div>
</details>
<details open={!!c.label}>
  <summary class="quiet cursor-pointer text-[12px]">Label in review copies</summary>
  <div class="flex flex-col gap-1 pt-1">
    <input
      class="input input-xs"
      aria-label="Text of the label"
      placeholder="No label"
      maxlength="200"
      value={c.label?.text ?? ''}
      onchange={(e) => {
        const text = e.currentTarget.value.trim();
        c.setLabel(text || c.label?.ring ? { text } : undefined);
      }}
    />
    <label class="flex items-center justify-between"
      ><span class="quiet text-[12px]">Ring around it</span><input
        type="checkbox"
        class="toggle toggle-xs"
        aria-label="Ring around it"
        checked={!!c.label?.ring}
        onchange={(e) => {
          const ring = e.currentTarget.checked;
          c.setLabel(ring || c.label?.text ? { ring, text: c.label?.text ?? '' } : undefined);
        }}
      /></label
    >
    {#if c.label}
      <NumberField
        label="Letters"
        unit="px"
        digits={0}
        value={c.label.size}
        min={6}
        max={400}
        onchange={(size) => c.setLabel({ size })}
      />
      <p class="quiet text-[12px]">A master never shows it.</p>
    {/if}
  </div>
</details>
<button
  class="btn btn-xs"
  disabled={locked}
  aria-pressed={!!cover.off}
  onclick={() => b.onCover({ do: 'switch', on: !!cover.off })}
>
  <EyeOff size={13} />
  {cover.off ? 'Switch the cover on' : 'Switch the cover off'}
</button>
{#if cover.off}<p class="text-[12px] text-warning">This cover is off: {item.name} is delivered as it is.</p>{/if}
