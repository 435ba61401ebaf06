<script lang="ts">
  import { onMount } from 'svelte';
  import Check from '@lucide/svelte/icons/check';
  import CircleAlert from '@lucide/svelte/icons/circle-alert';
  import Keyboard from '@lucide/svelte/icons/keyboard';
  import Redo2 from '@lucide/svelte/icons/redo-2';
  import Truck from '@lucide/svelte/icons/truck';
  import Undo2 from '@lucide/svelte/icons/undo-2';
  import { Bench } from './bench.svelte';
  import { press, release } from './actions';
  import { core } from '../core/core';
  import Hints from '../shared/Hints.svelte';
  import { hint, parted } from './hints';
  import LookButton from '../shared/LookButton.svelte';
  import WorkButton from '../shared/WorkButton.svelte';
  import { route } from '../shared/route.svelte';
  import Actions from './Actions.svelte';
  import Changes from './Changes.svelte';
  import Guide from './Guide.svelte';
  import DeliverDialog from './deliver/DeliverDialog.svelte';
  import Rail from './Rail.svelte';
  import Timeline from './timeline/Timeline.svelte';
  import Picture from './picture/Picture.svelte';
  import ContactSheet from './sheet/ContactSheet.svelte';
  import SteadyStrip from './follow/SteadyStrip.svelte';
  import StepCard from './StepCard.svelte';
  import Transport from './Transport.svelte';

  let { id }: { id: string } = $props();
  // The route makes this view anew for another shot.
  // svelte-ignore state_referenced_locally
  const bench = new Bench(id);
  let opened = $state(false);
  let failed = $state('');
  let delivering = $state(false);

  onMount(() => {
    bench.open().then(
      () => (opened = true),
      (e) => (failed = (e as Error).message),
    );
    return () => bench.close();
  });

  const active = $derived(bench.deliveries.active);

  $effect(() => {
    const deliver = () => (delivering = true);
    document.addEventListener('deliver', deliver);
    return () => document.removeEventListener('deliver', deliver);
  });
</script>

<svelte:window
  onkeydown={(e) => {
    if (opened && press(bench, e)) e.preventDefault();
  }}
  onkeyup={(e) => release(bench, e)}
  onbeforeunload={() => bench.toolbox.leave()}
  onblur={() => bench.viewport.release()}
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
{:else if opened}
  <main
    aria-busy={bench.session.saving > 0}
    class="grid h-full overflow-hidden"
    style="grid-template: 38px minmax(0,1fr) auto / minmax(0,1fr) 272px auto"
  >
    <header class="col-span-3 flex items-center gap-2 border-b border-base-300 px-2">
      <a class="quiet hover:underline" href="/programmes/{bench.shot.programme}" onclick={route.follow}
        >{bench.shot.view!.programmeName}</a
      >
      <span class="quiet" aria-hidden="true">/</span>
      <h1 class="font-semibold">{bench.shot.view!.name}</h1>
      <span class="tc ml-auto text-[15px]" data-testid="timecode">{core.timecode({ frame: bench.playhead.frame })}</span
      >
      <span class="tc quiet w-16" data-testid="frame">f {bench.playhead.frame}</span>
      <div class="ml-auto flex items-center gap-1">
        {#if bench.notice.text}
          <span class="flex items-center gap-1 text-error" role="alert"
            ><CircleAlert size={14} /> {bench.notice.text}</span
          >
        {:else}
          <button
            class="quiet btn max-w-80 btn-ghost font-normal btn-xs"
            title="All changes (Ctrl+Y)"
            onclick={() => document.dispatchEvent(new CustomEvent('all-changes'))}
          >
            <span class="truncate" data-testid="saved"
              >{#if bench.session.saving}Saving{:else if bench.session.revision?.number}<Check
                  size={13}
                  class="inline"
                /> Saved: {bench.session.revision.label}{:else}Nothing changed yet{/if}</span
            >
          </button>
        {/if}
        <WorkButton />
        <LookButton />
        <button
          class="btn btn-square btn-ghost btn-xs"
          aria-label="Undo (Ctrl+Z)"
          disabled={!bench.session.revision?.canUndo}
          onclick={bench.session.undo}><Undo2 size={15} /></button
        >
        <button
          class="btn btn-square btn-ghost btn-xs"
          aria-label="Redo (Ctrl+Shift+Z)"
          disabled={!bench.session.revision?.canRedo}
          onclick={bench.session.redo}><Redo2 size={15} /></button
        >
        <button
          class="btn btn-square btn-ghost btn-xs"
          aria-label="All actions and keys (?)"
          onclick={() => document.dispatchEvent(new CustomEvent('all-actions'))}><Keyboard size={15} /></button
        >
        <button
          class="btn btn-ghost font-normal btn-xs {bench.checking.severe
            ? 'text-error'
            : bench.checking.said === 'clean'
              ? 'text-success'
              : 'quiet'}"
          title="What the check found (Alt+5)"
          data-testid="check"
          onclick={() => bench.steps.go('check')}
          >{bench.checking.severe && bench.checking.current ? '▼ ' : ''}{bench.checking.said}</button
        >
        <button class="btn btn-xs" title="Deliver (Shift+D)" onclick={() => (delivering = true)}>
          <Truck size={14} /> Deliver{#if active.length}&nbsp;<span class="tc"
              >{Math.round((100 * active[0]!.rendered) / active[0]!.frames)} %</span
            >{/if}
        </button>
      </div>
    </header>
    <div class="relative col-start-1 row-start-2 grid min-h-0 min-w-0">
      <Picture {bench} />
      {#if bench.viewport.guide}<Guide {bench} />{/if}
      {#if bench.session.conflict}
        {@const head = bench.session.conflict.head}
        <div
          class="absolute inset-x-8 top-3 flex items-center gap-3 border-l-4 border-error bg-base-100 px-3 py-2"
          role="alertdialog"
          aria-label="Two versions"
          data-testid="conflict"
        >
          <p>
            The shot was changed in the meantime ({head.label}, by {head.author}), and you changed the same cover:
            <em>{bench.session.conflict.label}</em>. Theirs is shown; yours is kept here{bench.session.conflict.path
              ? ', dashed in red'
              : ''}.
          </p>
          <button class="btn btn-primary btn-sm" onclick={() => bench.session.resolve(true)}>Put mine on top</button>
          <button class="btn btn-sm" onclick={() => bench.session.resolve(false)}>Keep theirs</button>
        </div>
      {/if}
    </div>
    <StepCard {bench} />
    {#if bench.viewport.sheet}<ContactSheet {bench} />{/if}
    <Rail {bench} />
    <div class="col-span-3 row-start-3 border-t border-base-300">
      <Transport {bench} /><Timeline {bench} />{#if bench.viewport.strip && bench.following.striped}<SteadyStrip
          {bench}
        />{/if}
    </div>
    <Hints {hint} {parted} />
  </main>
  <Actions {bench} />
  <Changes {bench} />
  {#if delivering}<DeliverDialog {bench} onclose={() => (delivering = false)} />{/if}
{:else}
  <p class="quiet p-8">Opening the shot</p>
{/if}
