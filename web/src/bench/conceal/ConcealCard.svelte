<script lang="ts">
  import ArrowDown from '@lucide/svelte/icons/arrow-down';
  import ArrowUp from '@lucide/svelte/icons/arrow-up';
  import EyeOff from '@lucide/svelte/icons/eye-off';
  import Trash2 from '@lucide/svelte/icons/trash-2';
  import type { Item, Treatment } from '../../api/api';
  import type { Concealing } from './concealing.svelte';
  import { valueScopes, type Keying } from '../keying.svelte';
  import type { Playhead } from '../playhead.svelte';
  import type { Selection } from '../selection.svelte';
  import type { EditingSession } from '../session.svelte';
  import { core } from '../../core/core';
  import { kinds as itemKinds } from '../../shared/format';
  import NumberField from '../../shared/NumberField.svelte';
  import ScopeSwitch from '../../shared/ScopeSwitch.svelte';
  import TreatmentSettings from './TreatmentSettings.svelte';

  import type { Toolbox } from '../toolbox.svelte';

  interface Props {
    toolbox: Toolbox;
    concealing: Concealing;
    keying: Keying;
    playhead: Playhead;
    selection: Selection;
    session: EditingSession;
    item: Item;
  }
  let { toolbox, concealing, keying, playhead, selection, session, item }: Props = $props();
  const cover = $derived(selection.cover!);
  const h = $derived(selection.state!);
  const locked = $derived(!!cover.locked);
  type Kind = Treatment['kind'];
  const kinds = core.kinds();
  const title = (k: string) => kinds.find((x) => x.kind === k)?.title ?? k;
  const t = $derived(concealing.treatment);
  const keyed = $derived(h.lanes.some((l) => l.name.startsWith('treatment/') || l.name === 'transparency'));
  const th = $derived(concealing.through);
  const shows = $derived(th ? Math.round(100 * th.detail) : 0);
  let naming = $state(false);
  let name = $state('');
  let forKind = $state(true);
  let given = $state<string[]>([]);

  // What shows through is asked for again whenever the covers or the frame change.
  $effect(() => {
    void session.drawn;
    void playhead.frame;
    void session.saving;
    if (playhead.speed === 0 && !session.saving) concealing.look();
  });
</script>

<label class="flex items-center justify-between gap-2"
  ><span class="quiet">House style</span>
  <select
    class="select w-24 select-xs"
    aria-label="House style"
    disabled={locked}
    value={cover.style ?? ''}
    onchange={(e) => concealing.follow(e.currentTarget.value)}
  >
    <option value="">None</option>
    {#each concealing.styles as s (s.id)}<option value={s.id}>{s.name}</option>{/each}
  </select>
</label>
{#if concealing.deviates}
  <p class="text-[12px] text-warning" data-testid="deviates">Differs from {concealing.style!.name}.</p>
  <div class="grid grid-cols-2 gap-1">
    <button class="btn px-1 btn-xs" disabled={locked} onclick={() => concealing.follow(concealing.style!.id)}
      >Back to it</button
    >
    <button
      class="btn px-1 btn-xs"
      title="Every cover that follows it changes too"
      onclick={() => void concealing.changeStyle()}>Change style</button
    >
  </div>
{/if}
{#if concealing.said}<p class="quiet text-[12px]" role="status">{concealing.said}</p>{/if}

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
          concealing.take(x.id);
          concealing.change((y) => ({ ...y, off: !e.currentTarget.checked || undefined }));
        }}
      />
      <button
        class="mr-auto min-w-0 flex-1 truncate px-1.5 py-0.5 text-left {x.off ? 'line-through opacity-70' : ''}"
        aria-pressed={x.id === t?.id}
        onclick={() => concealing.take(x.id)}>{title(x.kind)}</button
      >
      {#if cover.treatments.length > 1}
        <button
          class="btn btn-square btn-ghost btn-xs"
          disabled={locked || i === 0}
          aria-label="{title(x.kind)} {i + 1} earlier"
          onclick={() => concealing.move(x.id, -1)}><ArrowUp size={12} /></button
        >
        <button
          class="btn btn-square btn-ghost btn-xs"
          disabled={locked || i === cover.treatments.length - 1}
          aria-label="{title(x.kind)} {i + 1} later"
          onclick={() => concealing.move(x.id, 1)}><ArrowDown size={12} /></button
        >
        <button
          class="btn btn-square btn-ghost btn-xs"
          disabled={locked}
          aria-label="Remove {title(x.kind)} {i + 1}"
          onclick={() => concealing.remove(x.id)}><Trash2 size={12} /></button
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
        onclick={() => concealing.become(k.kind)}>{k.title}</button
      >
    {/each}
  </div>
  <TreatmentSettings {concealing} {keying} {selection} {session} {toolbox} treatment={t} />
{/if}
<select
  class="select select-xs"
  aria-label="Add a treatment"
  disabled={locked}
  value=""
  onchange={(e) => {
    concealing.add(e.currentTarget.value as Kind);
    e.currentTarget.value = '';
  }}
>
  <option value="" disabled>Add a treatment</option>
  {#each kinds as k (k.kind)}<option value={k.kind}>{k.title}</option>{/each}
</select>

<div class="flex flex-col gap-1 border-y border-base-300 py-1.5" data-testid="through">
  {#if th && th.stroke > 0}
    <p class="text-[12px] {th.readable ? 'text-error' : 'quiet'}" role={th.readable ? 'alert' : undefined}>
      {#if th.readable}
        The picture shows through: {shows} % of its strokes can be made out at f {selection.here}.
      {:else}
        {shows} % of the strokes ({th.stroke.toFixed(0)} px) can be made out at f {selection.here}; from
        {Math.round(100 * th.from)} % on they can be read.
      {/if}
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
  onchange={(v) => keying.set(['transparency'], 1 - v / 100)}
  keyed={keying.stateOf('transparency')}
  disabled={locked}
  onkey={() => keying.toggle('transparency')}
/>
{#if keyed}
  <ScopeSwitch label="A change of a keyed number is for" bind:scope={keying.valueScope} scopes={valueScopes} />
{/if}

{#if t}
  {#if concealing.other}
    <button class="btn btn-primary btn-xs" onclick={() => concealing.choose(false)}>Compare no more</button>
  {:else}
    <select
      class="select select-xs"
      aria-label="Compare with another treatment"
      disabled={locked}
      value=""
      onchange={(e) => {
        concealing.compare(e.currentTarget.value as Kind);
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
<details bind:open={concealing.sharing}>
  <summary class="quiet cursor-pointer text-[12px]">To other covers</summary>
  <div class="flex flex-col gap-1 pt-1">
    {#if concealing.others.length}
      {#each concealing.others as o (o.id)}
        <label class="flex items-center gap-1.5"
          ><input type="checkbox" class="checkbox checkbox-xs" value={o.id} bind:group={given} disabled={o.locked} />
          <span class="truncate">{o.name}</span></label
        >
      {/each}
      <button
        class="btn btn-xs"
        disabled={!given.length}
        onclick={() => {
          concealing.give(given);
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
            concealing.moveLike(e.currentTarget.value);
            e.currentTarget.value = '';
          }}
        >
          <option value="" disabled>another</option>
          {#each concealing.others as o (o.id)}<option value={o.id}>{o.name}</option>{/each}
        </select>
      </label>
    {:else}<p class="quiet text-[12px]">There is no other cover in this shot.</p>{/if}
    {#if naming}
      <form
        class="flex flex-col gap-1"
        onsubmit={(e) => {
          e.preventDefault();
          naming = false;
          void concealing.saveStyle(name, forKind ? [item.kind] : []);
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
<details open={!!concealing.label}>
  <summary class="quiet cursor-pointer text-[12px]">Label in review copies</summary>
  <div class="flex flex-col gap-1 pt-1">
    <input
      class="input input-xs"
      aria-label="Text of the label"
      placeholder="No label"
      maxlength="200"
      value={concealing.label?.text ?? ''}
      onchange={(e) => {
        const text = e.currentTarget.value.trim();
        concealing.setLabel(text || concealing.label?.ring ? { text } : undefined);
      }}
    />
    <label class="flex items-center justify-between"
      ><span class="quiet text-[12px]">Ring around it</span><input
        type="checkbox"
        class="toggle toggle-xs"
        aria-label="Ring around it"
        checked={!!concealing.label?.ring}
        onchange={(e) => {
          const ring = e.currentTarget.checked;
          concealing.setLabel(
            ring || concealing.label?.text ? { ring, text: concealing.label?.text ?? '' } : undefined,
          );
        }}
      /></label
    >
    {#if concealing.label}
      <NumberField
        label="Letters"
        unit="px"
        digits={0}
        value={concealing.label.size}
        min={6}
        max={400}
        onchange={(size) => concealing.setLabel({ size })}
      />
      <p class="quiet text-[12px]">A master never shows it.</p>
    {/if}
  </div>
</details>
<button
  class="btn btn-xs"
  disabled={locked}
  aria-pressed={!!cover.off}
  onclick={() => selection.edit({ do: 'switch', on: !!cover.off })}
>
  <EyeOff size={13} />
  {cover.off ? 'Switch the cover on' : 'Switch the cover off'}
</button>
{#if cover.off}<p class="text-[12px] text-warning">This cover is off: {item.name} is delivered as it is.</p>{/if}
