<script lang="ts">
  import { onMount } from 'svelte';
  import Check from '@lucide/svelte/icons/check';
  import CircleAlert from '@lucide/svelte/icons/circle-alert';
  import Keyboard from '@lucide/svelte/icons/keyboard';
  import Redo2 from '@lucide/svelte/icons/redo-2';
  import Truck from '@lucide/svelte/icons/truck';
  import Undo2 from '@lucide/svelte/icons/undo-2';
  import { Bench } from '../lib/bench.svelte';
  import { press, release } from '../lib/commands';
  import { core } from '../lib/core';
  import { route } from '../lib/route.svelte';
  import Actions from './Actions.svelte';
  import Changes from './Changes.svelte';
  import Deliver from './Deliver.svelte';
  import Items from './Items.svelte';
  import Louvre from './Louvre.svelte';
  import Picture from './Picture.svelte';
  import SteadyStrip from './SteadyStrip.svelte';
  import StepCard from './StepCard.svelte';
  import Transport from './Transport.svelte';

  let { id }: { id: string } = $props();
  const b = new Bench();
  let opened = $state(false);
  let failed = $state('');
  let delivering = $state(false);

  onMount(() => {
    b.open(id).then(
      () => (opened = true),
      (e) => (failed = (e as Error).message),
    );
    (window as unknown as { bench: Bench }).bench = b; // for the console and the tests
    return () => b.close();
  });

  const active = $derived(
    b.deliveries.filter((d) => ['queued', 'rendering', 'joining', 'verifying'].includes(d.state)),
  );
</script>

<svelte:window
  onkeydown={(e) => {
    if (opened && press(b, e)) e.preventDefault();
  }}
  onkeyup={(e) => release(b, e)}
  onbeforeunload={() => b.leave()}
  onblur={() => ((b.clean = false), (b.bare = false), (b.hand = false))}
  onclick={(e) => {
    // After a click the keys belong to the bench again, not to the button.
    if (e.detail > 0) (document.activeElement?.closest('main button') as HTMLElement | null)?.blur();
  }}
/>

{#if failed}
  <main class="p-8">
    <h1 class="sr-only">Shot</h1>
    <p class="text-error" role="alert">{failed}</p>
    <a class="underline" href="/" onclick={route.follow}>Go to the programmes</a>
  </main>
{:else if opened && b.shot}
  <main class="grid h-full overflow-hidden" style="grid-template: 38px minmax(0,1fr) auto / 124px minmax(0,1fr) 200px">
    <header class="col-span-3 flex items-center gap-2 border-b border-base-300 px-2">
      <a class="quiet hover:underline" href="/programmes/{b.shot.programme}" onclick={route.follow}
        >{b.shot.programmeName}</a
      >
      <span class="quiet" aria-hidden="true">/</span>
      <h1 class="font-semibold">{b.shot.name}</h1>
      <span class="tc ml-auto text-[15px]" data-testid="timecode">{core.timecode(b.frame)}</span>
      <span class="tc quiet w-14" data-testid="frame">f {b.frame}</span>
      <div class="ml-auto flex items-center gap-1">
        {#if b.error}
          <span class="flex items-center gap-1 text-error" role="alert"><CircleAlert size={14} /> {b.error}</span>
        {:else}
          <button
            class="quiet btn max-w-80 btn-ghost font-normal btn-xs"
            title="All changes (Ctrl+Y)"
            onclick={() => document.dispatchEvent(new CustomEvent('all-changes'))}
          >
            <span class="truncate" data-testid="saved"
              >{#if b.saving}Saving{:else if b.revision?.number}<Check size={13} class="inline" /> Saved: {b.revision
                  .label}{:else}Nothing changed yet{/if}</span
            >
          </button>
        {/if}
        <button
          class="btn btn-square btn-ghost btn-xs"
          aria-label="Undo (Ctrl+Z)"
          disabled={!b.revision?.canUndo}
          onclick={b.undo}><Undo2 size={15} /></button
        >
        <button
          class="btn btn-square btn-ghost btn-xs"
          aria-label="Redo (Ctrl+Shift+Z)"
          disabled={!b.revision?.canRedo}
          onclick={b.redo}><Redo2 size={15} /></button
        >
        <button
          class="btn btn-square btn-ghost btn-xs"
          aria-label="All actions and keys (?)"
          onclick={() => document.dispatchEvent(new CustomEvent('all-actions'))}><Keyboard size={15} /></button
        >
        <button
          class="btn btn-ghost font-normal btn-xs {b.checks.severe
            ? 'text-error'
            : b.checks.said === 'clean'
              ? 'text-success'
              : 'quiet'}"
          title="What the check found (Alt+5)"
          data-testid="check"
          onclick={() => b.go('check')}>{b.checks.severe && b.checks.current ? '▼ ' : ''}{b.checks.said}</button
        >
        <button class="btn btn-xs" onclick={() => (delivering = true)}>
          <Truck size={14} /> Deliver{#if active.length}&nbsp;<span class="tc"
              >{Math.round((100 * active[0]!.rendered) / active[0]!.frames)} %</span
            >{/if}
        </button>
      </div>
    </header>
    <Items {b} />
    <div class="relative grid min-h-0 min-w-0">
      <Picture {b} />
      {#if b.conflict}
        {@const head = b.conflict.head}
        <div
          class="absolute inset-x-8 top-3 flex items-center gap-3 border-l-4 border-error bg-base-100 px-3 py-2"
          role="alertdialog"
          aria-label="Two versions"
          data-testid="conflict"
        >
          <p>
            The shot was changed in the meantime ({head.label}, by {head.author}), and you changed the same cover:
            <em>{b.conflict.label}</em>. Theirs is shown; yours is kept here{#if b.conflict.path}, dashed in red{/if}.
          </p>
          <button class="btn btn-primary btn-sm" onclick={() => b.resolve(true)}>Put mine on top</button>
          <button class="btn btn-sm" onclick={() => b.resolve(false)}>Keep theirs</button>
        </div>
      {/if}
    </div>
    <StepCard {b} />
    <div class="col-span-3 border-t border-base-300">
      <Transport {b} /><Louvre {b} />{#if b.strip && b.follows.striped}<SteadyStrip {b} />{/if}
    </div>
  </main>
  <Actions {b} />
  <Changes {b} />
  {#if delivering}<Deliver {b} onclose={() => (delivering = false)} />{/if}
{:else}
  <p class="quiet p-8">Opening the shot</p>
{/if}
