<script lang="ts">
  // The settings of a treatment, made from its description (core/cover, Kinds).
  import Pipette from '@lucide/svelte/icons/pipette';
  import type { Graphic, Treatment } from '../../api/api';
  import type { Concealing } from './concealing.svelte';
  import type { Keying } from '../keying.svelte';
  import type { Selection } from '../selection.svelte';
  import type { EditingSession } from '../session.svelte';
  import type { Toolbox } from '../toolbox.svelte';
  import { core } from '../../core/core';
  import type { Setting } from '../../api/api';
  import NumberField from '../../shared/NumberField.svelte';

  interface Props {
    concealing: Concealing;
    keying: Keying;
    selection: Selection;
    session: EditingSession;
    toolbox: Toolbox;
    treatment: Treatment;
  }
  let { concealing, keying, selection, session, toolbox, treatment: t }: Props = $props();
  const cover = $derived(concealing.cover!);
  const locked = $derived(!!cover.locked);
  const kind = $derived(core.kinds().find((k) => k.kind === t.kind)!);
  const lane = (name: string) => `treatment/${t.id}/${name}`;
  const value = (name: string) => selection.state!.values[lane(name)] ?? 0;
  const key = (name: string) => ({
    keyed: keying.stateOf(lane(name)),
    disabled: locked,
    onkey: () => keying.toggle(lane(name)),
  });
  type Loose = Record<string, unknown>;
  const plain = (name: string) => (t as unknown as Loose)[name];
  const set = (name: string, v: unknown, live = false) =>
    concealing.change((x) => ({ ...x, [name]: v }) as Treatment, live);
  /** Both ways of a pair go together under the slider of the first. */
  const pair = (s: Setting) =>
    s.name.endsWith('/across') ? [lane(s.name), lane(s.name.replace('/across', '/down'))] : [lane(s.name)];
  let file = $state<HTMLInputElement>();
  const graphics = $derived(session.document?.graphics ?? ([] as Graphic[]));
</script>

{#each kind.settings as s (s.name)}
  {#if !s.unless || !plain(s.unless)}
    {#if s.sort === 'number'}
      {#if s.slider && !s.name.endsWith('/down')}
        <input
          type="range"
          class="range range-primary range-xs"
          aria-label={s.title.replace(' across', '')}
          min={s.slider.x}
          max={s.slider.y}
          step={s.times ? 0.01 : s.digits ? 0.5 : 1}
          disabled={locked}
          value={value(s.name)}
          oninput={(e) => keying.set(pair(s), Number(e.currentTarget.value), true)}
          onchange={(e) => keying.set(pair(s), Number(e.currentTarget.value))}
        />
      {/if}
      <NumberField
        label={s.title}
        unit={s.unit}
        digits={s.digits}
        value={value(s.name) * (s.times || 1)}
        min={s.least * (s.times || 1)}
        max={s.most * (s.times || 1)}
        onchange={(v) => keying.set([lane(s.name)], v / (s.times || 1))}
        {...key(s.name)}
      />
    {:else if s.sort === 'switch'}
      <label class="flex items-center justify-between gap-2"
        ><span class="quiet">{s.title}</span>
        <input
          type="checkbox"
          class="toggle toggle-xs"
          aria-label={s.title}
          checked={!!plain(s.name)}
          disabled={locked}
          onchange={(e) => set(s.name, e.currentTarget.checked || undefined)}
        />
      </label>
    {:else if s.sort === 'choice'}
      <label class="flex items-center justify-between gap-2"
        ><span class="quiet">{s.title}</span>
        <select
          class="select w-24 select-xs"
          aria-label={s.title}
          disabled={locked}
          value={plain(s.name) ?? s.choices![0]!.value}
          onchange={(e) => set(s.name, e.currentTarget.value)}
        >
          {#each s.choices! as c (c.value)}<option value={c.value}>{c.title}</option>{/each}
        </select>
      </label>
    {:else if s.sort === 'colour'}
      <div class="flex items-center justify-between gap-2">
        <label class="flex items-center gap-2"
          ><span class="quiet">{s.title}</span>
          <input
            type="color"
            class="h-6 w-9"
            aria-label={s.title}
            disabled={locked}
            value={t.colour}
            oninput={(e) => set(s.name, e.currentTarget.value, true)}
            onchange={(e) => set(s.name, e.currentTarget.value)}
          />
        </label>
        <button
          class="btn btn-xs {toolbox.tool === 'pick' ? 'btn-primary' : ''}"
          disabled={locked}
          onclick={() => toolbox.take(toolbox.tool === 'pick' ? 'move' : 'pick')}><Pipette size={13} /> Pick</button
        >
      </div>
    {:else}
      {@const g = graphics.find((x) => x.id === t.graphic)}
      {#if g}
        <div class="flex items-center gap-2">
          <img class="h-9 max-w-20 bg-[#4a4a4a] object-contain" alt="" src="/api/graphics/{g.id}" />
          <span class="min-w-0 truncate text-[12px]" title={g.name}
            >{g.name}<span class="quiet tc block">{g.width}×{g.height}</span></span
          >
        </div>
      {:else}
        <p class="quiet text-[12px]">Bring in a PNG, JPEG or SVG; it is pinned to the outline’s four corners.</p>
      {/if}
      {#if graphics.length > (g ? 1 : 0)}
        <select
          class="select select-xs"
          aria-label="Graphic"
          disabled={locked}
          value={t.graphic ?? ''}
          onchange={(e) => concealing.lay(graphics.find((x) => x.id === e.currentTarget.value)!)}
        >
          {#if !g}<option value="" disabled>Choose one</option>{/if}
          {#each graphics as x (x.id)}<option value={x.id}>{x.name}</option>{/each}
        </select>
      {/if}
      <button class="btn btn-xs" disabled={locked} onclick={() => file?.click()}
        >{g ? 'Another graphic' : 'Bring in a graphic'}</button
      >
      <input
        bind:this={file}
        type="file"
        class="sr-only"
        tabindex="-1"
        accept="image/png,image/jpeg,image/svg+xml"
        aria-label="Graphic file"
        data-testid="graphic"
        onchange={(e) => {
          const f = e.currentTarget.files?.[0];
          if (f) void concealing.bring(f);
          e.currentTarget.value = '';
        }}
      />
    {/if}
  {/if}
{/each}
<NumberField
  label="Strength"
  unit="%"
  digits={0}
  value={100 * value('strength')}
  min={0}
  max={100}
  onchange={(v) => keying.set([lane('strength')], v / 100)}
  {...key('strength')}
/>
