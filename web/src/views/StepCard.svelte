<script lang="ts">
  import Circle from '@lucide/svelte/icons/circle';
  import EyeOff from '@lucide/svelte/icons/eye-off';
  import Pipette from '@lucide/svelte/icons/pipette';
  import Square from '@lucide/svelte/icons/square';
  import Trash2 from '@lucide/svelte/icons/trash-2';
  import { constant, type Bench, type Step } from '../lib/bench.svelte';
  import { core } from '../lib/core';
  import type { Command, Placement, Treatment } from '../lib/api';
  import NumberField from './NumberField.svelte';

  let { b }: { b: Bench } = $props();
  const c = $derived(b.inHand);
  const cover = $derived(b.cover);
  const item = $derived(b.items.find((i) => i.id === b.item));
  const steps: [Step, string][] = [
    ['outline', 'Outline'],
    ['follow', 'Follow'],
    ['conceal', 'Conceal'],
  ];
  const done = $derived<Record<Step, string>>({
    outline: cover ? 'done' : 'missing',
    follow: (c?.keys.length ?? 0) > 1 ? 'done' : 'missing',
    conceal: cover?.treatments.some((t) => !t.off) && !cover.off ? 'done' : 'missing',
  });

  function place(change: (p: Placement) => Placement) {
    if (c) void b.save([b.place(change(c.placement))]);
  }
  function set(value: string, number: number): Command {
    return { do: 'set', cover: cover!.id, value, number };
  }
  const t = $derived(cover?.treatments[0]);
  function treat(change: (t: Treatment) => Treatment, live = false) {
    if (cover && t) b.treat([change(t), ...cover.treatments.slice(1)], live);
  }
  const between = $derived.by(() => {
    if (!c) return '';
    if (c.keyed) return `Key at f ${b.frame}: a change here changes this key.`;
    const before = c.keys.findLast((k) => k < b.frame);
    const after = c.keys.find((k) => k > b.frame);
    if (before === undefined && after === undefined) return 'No keys: the cover rests where it was drawn.';
    if (before === undefined) return `Before the first key (f ${after}), which holds backward. A change adds a key at f ${b.frame}.`;
    if (after === undefined) return `After the last key (f ${before}), which holds. A change adds a key at f ${b.frame}.`;
    return `Between keys f ${before} and f ${after}: moves evenly. A change adds a key at f ${b.frame}.`;
  });
</script>

<aside class="border-base-300 flex min-h-0 flex-col overflow-auto border-l" aria-label="Step card">
  {#if !item}
    <p class="quiet p-3">Add what must be hidden to the list on the left: a plate, a sign, a number. Then draw its outline on the picture.</p>
  {:else}
    <div class="border-base-300 grid grid-cols-3 border-b" role="tablist" aria-label="Steps">
      {#each steps as [k, name] (k)}
        <button role="tab" aria-selected={b.step === k} class="border-b-2 px-1 py-1.5 {b.step === k ? 'border-primary font-semibold' : 'quiet border-transparent'}" onclick={() => (b.step = k)}>
          {name}
          <span class="block text-[12px] font-normal {done[k] === 'done' ? 'text-success' : 'quiet'}">{done[k]}</span>
        </button>
      {/each}
    </div>
    <div class="flex flex-col gap-2 p-3">
      {#if !cover || !c}
        <p>{item.name} has no cover yet. Choose a shape and drag it over the thing, from corner to corner.</p>
        <div class="flex gap-1">
          <button class="btn btn-sm flex-1 {b.tool === 'box' ? 'btn-primary' : ''}" onclick={() => (b.tool = 'box')}><Square size={14} /> Box</button>
          <button class="btn btn-sm flex-1 {b.tool === 'ellipse' ? 'btn-primary' : ''}" onclick={() => (b.tool = 'ellipse')}><Circle size={14} /> Ellipse</button>
        </div>
      {:else if b.step === 'outline'}
        <p class="quiet text-[12px]">{between}</p>
        <NumberField label="Centre across" unit="px" value={c.centre.x} onchange={(v) => place((p) => ({ ...p, move: { x: p.move.x + v - c.centre.x, y: p.move.y } }))} />
        <NumberField label="Centre down" unit="px" value={c.centre.y} onchange={(v) => place((p) => ({ ...p, move: { x: p.move.x, y: p.move.y + v - c.centre.y } }))} />
        <NumberField label="Width" unit="px" value={c.size.x} min={1} onchange={(v) => place((p) => ({ ...p, size: { x: (p.size.x * v) / c.size.x, y: p.size.y } }))} />
        <NumberField label="Height" unit="px" value={c.size.y} min={1} onchange={(v) => place((p) => ({ ...p, size: { x: p.size.x, y: (p.size.y * v) / c.size.y } }))} />
        <NumberField label="Turn" unit="°" value={c.placement.turn} onchange={(v) => place((p) => ({ ...p, turn: v }))} />
        <hr class="border-base-300" />
        <p class="quiet text-[12px]">For the whole span:</p>
        <NumberField label="Grow" unit="px" value={constant(cover.grow)} min={0} max={1000} onchange={(v) => void b.save([set('grow', v)])} />
        <NumberField label="Soften across" unit="px" value={constant(cover.soften.across)} min={0} max={1000} onchange={(v) => void b.save([set('soften.across', v)])} />
        <NumberField label="Soften down" unit="px" value={constant(cover.soften.down)} min={0} max={1000} onchange={(v) => void b.save([set('soften.down', v)])} />
        <hr class="border-base-300" />
        <button class="btn btn-xs btn-ghost text-error justify-start" onclick={() => void b.save([{ do: 'remove', cover: cover.id }])}><Trash2 size={13} /> Remove this cover</button>
      {:else if b.step === 'follow'}
        <p class="text-[12px]">{between}</p>
        <p class="quiet text-[12px]">Go to a frame where the thing has moved and put the cover on it: that makes a key. First and last frame first, then the middle, and so on inwards.</p>
        <div class="flex gap-1">
          <button class="btn btn-xs flex-1" disabled={!c.keys.some((k) => k < b.frame)} onclick={() => b.key(-1)}>Previous key</button>
          <button class="btn btn-xs flex-1" disabled={!c.keys.some((k) => k > b.frame)} onclick={() => b.key(1)}>Next key</button>
        </div>
        {#if c.keyed}
          <button class="btn btn-xs" onclick={() => b.removeKey()}>Remove the key at f {b.frame}</button>
        {:else}
          <button class="btn btn-xs" onclick={() => place((p) => p)}>Add a key at f {b.frame}</button>
        {/if}
        <ol class="border-base-300 divide-base-300 max-h-56 divide-y overflow-auto border" aria-label="Keys">
          {#each c.keys as k (k)}
            <li>
              <button class="tc flex w-full justify-between px-2 py-0.5 text-[12px] {k === b.frame ? 'bg-base-300' : 'hover:bg-base-200'}" onclick={() => b.seek(k)}>
                <span>f {k}</span><span class="quiet">{core.timecode(k)}</span>
              </button>
            </li>
          {/each}
        </ol>
      {:else if t}
        <div class="join" role="group" aria-label="Treatment">
          {#each ['blur', 'mosaic', 'fill'] as const as k (k)}
            <button class="btn btn-xs join-item flex-1 {t.kind === k ? 'btn-primary' : ''}" aria-pressed={t.kind === k} onclick={() => t.kind !== k && treat(() => ({ ...core.treatment(t.id, k), strength: t.strength }))}>
              {k === 'blur' ? 'Blur' : k === 'mosaic' ? 'Mosaic' : 'Fill'}
            </button>
          {/each}
        </div>
        {#if t.kind === 'blur'}
          <input type="range" class="range range-xs range-primary" aria-label="Sigma" min="0" max="80" step="0.5" value={constant(t.sigma?.across)}
            oninput={(e) => { const v = Number(e.currentTarget.value); treat((t) => ({ ...t, sigma: { across: v, down: v } }), true); }}
            onchange={(e) => { const v = Number(e.currentTarget.value); treat((t) => ({ ...t, sigma: { across: v, down: v } })); }} />
          <NumberField label="Sigma across" unit="px" value={constant(t.sigma?.across)} min={0} max={500} onchange={(v) => treat((t) => ({ ...t, sigma: { across: v, down: t.sigma!.down } }))} />
          <NumberField label="Sigma down" unit="px" value={constant(t.sigma?.down)} min={0} max={500} onchange={(v) => treat((t) => ({ ...t, sigma: { across: t.sigma!.across, down: v } }))} />
        {:else if t.kind === 'mosaic'}
          <input type="range" class="range range-xs range-primary" aria-label="Cell" min="2" max="120" step="1" value={constant(t.cell?.across)}
            oninput={(e) => { const v = Number(e.currentTarget.value); treat((t) => ({ ...t, cell: { across: v, down: v } }), true); }}
            onchange={(e) => { const v = Number(e.currentTarget.value); treat((t) => ({ ...t, cell: { across: v, down: v } })); }} />
          <NumberField label="Cell across" unit="px" digits={0} value={constant(t.cell?.across)} min={2} max={2000} onchange={(v) => treat((t) => ({ ...t, cell: { across: v, down: t.cell!.down } }))} />
          <NumberField label="Cell down" unit="px" digits={0} value={constant(t.cell?.down)} min={2} max={2000} onchange={(v) => treat((t) => ({ ...t, cell: { across: t.cell!.across, down: v } }))} />
        {:else}
          <div class="flex items-center justify-between gap-2">
            <label class="flex items-center gap-2"><span class="quiet">Colour</span>
              <input type="color" class="h-6 w-9" aria-label="Colour" value={t.colour} oninput={(e) => { const v = e.currentTarget.value; treat((t) => ({ ...t, colour: v }), true); }} onchange={(e) => { const v = e.currentTarget.value; treat((t) => ({ ...t, colour: v })); }} />
            </label>
            <span class="tc">{t.colour}</span>
            <button class="btn btn-xs {b.tool === 'pick' ? 'btn-primary' : ''}" onclick={() => (b.tool = b.tool === 'pick' ? 'move' : 'pick')}><Pipette size={13} /> Pick</button>
          </div>
        {/if}
        <hr class="border-base-300" />
        <NumberField label="Strength" unit="%" digits={0} value={100 * constant(t.strength)} min={0} max={100} onchange={(v) => treat((t) => ({ ...t, strength: v / 100 }))} />
        {#if constant(t.strength) < 1}<p class="text-warning text-[12px]">Below 100 % the picture shows through the cover.</p>{/if}
        <p class="quiet text-[12px]">Values hold for the whole span. Hold C to see the clean picture.</p>
        <button class="btn btn-xs" aria-pressed={!!cover.off} onclick={() => void b.save([{ do: 'switch', cover: cover.id, off: !cover.off }])}>
          <EyeOff size={13} /> {cover.off ? 'Switch the cover on' : 'Switch the cover off'}
        </button>
        {#if cover.off}<p class="text-warning text-[12px]">This cover is off: {item.name} is delivered as it is.</p>{/if}
      {/if}
    </div>
  {/if}
</aside>
