<script lang="ts">
  import type { Bench } from './bench.svelte';
  import CheckCard from './check/CheckCard.svelte';
  import ConcealCard from './conceal/ConcealCard.svelte';
  import FoundCard from './found/FoundCard.svelte';
  import FollowCard from './follow/FollowCard.svelte';
  import HoldoutCard from './holdout/HoldoutCard.svelte';
  import PassageCard from './sound/PassageCard.svelte';
  import ThingCard from './things/ThingCard.svelte';
  import OutlineCard from './outline/OutlineCard.svelte';

  let { bench }: { bench: Bench } = $props();
  const cover = $derived(bench.selection.cover);
  const item = $derived(bench.shot.items.find((i) => i.id === bench.selection.itemId));
  const target = $derived(bench.selection.target);
</script>

<aside
  class="col-start-2 row-start-2 flex min-h-0 flex-col overflow-auto border-l border-base-300"
  aria-label="Step card"
>
  {#if bench.found.open}<FoundCard found={bench.found} />{/if}
  {#if bench.sounding.passage}
    <div class="flex flex-col gap-2 p-2.5">
      <PassageCard sounding={bench.sounding} items={bench.shot.items} frames={bench.shot.last + 1} />
    </div>
  {:else if bench.things.track || bench.things.label}
    <div class="flex flex-col gap-2 p-2.5"><ThingCard things={bench.things} /></div>
  {:else if !item}
    <p class="quiet p-3">
      Add what must be hidden to the list below: a plate, a sign, a number. Then draw its outline on the picture.
    </p>
  {:else}
    <div class="flex flex-col gap-2 p-2.5">
      {#if bench.playhead.speed !== 0 && !bench.viewport.steady}<p class="quiet text-[12px]">
          Playing. What is said here is of f {bench.selection.here}.
        </p>{/if}
      {#if cover?.locked}
        <p class="text-[12px] text-warning">{cover.name} is locked: nothing of it can be changed.</p>
        <button class="btn btn-xs" onclick={() => bench.selection.edit({ do: 'lock', on: false })}>Unlock</button>
      {/if}
      {#if cover?.draft}
        <div class="flex items-center gap-2 border-l-4 border-warning pl-2 text-[12px]" data-testid="draft">
          <span class="flex-1">A draft: found and covered, and nobody has said yes to it.</span>
          <button class="btn btn-xs" onclick={() => bench.selection.edit({ do: 'confirm' })}
            >Yes to this draft (Alt+Y)</button
          >
        </div>
      {/if}
      {#if cover && bench.selection.state && !bench.selection.state.inside}
        <p class="text-[12px] text-warning">
          f {bench.selection.here} lies outside the span (f {cover.span.first}–{cover.span.last}): nothing is hidden
          here.
        </p>
      {/if}
      {#if bench.steps.current !== 'hold' && bench.holdouts.outlined}
        <p class="text-[12px]">Selected: <b>{bench.holdouts.outlined.name}</b>, which passes in front.</p>
      {/if}
      {#if item.kind === 'speech' && !cover && bench.steps.current !== 'check'}
        <p>{item.name} is said. Mark where, on the sound under the picture, or here.</p>
        {#each bench.sounding.passages.filter((p) => p.item === item.id) as p (p.id)}
          <button class="btn justify-start btn-xs" onclick={() => bench.sounding.pick(p.id)}
            >{p.name}, f {Math.floor(p.from)}–{Math.ceil(p.to) - 1}</button
          >
        {/each}
        <button class="btn btn-xs" onclick={() => bench.sounding.addHere()}>Mark a passage here</button>
      {:else if bench.steps.current === 'check'}
        <CheckCard checking={bench.checking} playhead={bench.playhead} selection={bench.selection} shot={bench.shot} />
      {:else if bench.steps.current === 'hold' && target}
        <HoldoutCard
          holdouts={bench.holdouts}
          keying={bench.keying}
          playhead={bench.playhead}
          selection={bench.selection}
          session={bench.session}
          shot={bench.shot}
          toolbox={bench.toolbox}
          {item}
        />
      {:else if bench.steps.current === 'outline' || !cover || !bench.selection.state}
        <OutlineCard
          keying={bench.keying}
          outlining={bench.outlining}
          selection={bench.selection}
          toolbox={bench.toolbox}
          onduplicate={() => void bench.duplicate()}
          {item}
          still={bench.shot.last === 0}
        />
      {:else if bench.steps.current === 'follow'}
        <FollowCard
          following={bench.following}
          keying={bench.keying}
          looked={bench.looked}
          notice={bench.notice}
          outlining={bench.outlining}
          playhead={bench.playhead}
          selection={bench.selection}
          session={bench.session}
          shot={bench.shot}
          toolbox={bench.toolbox}
          viewport={bench.viewport}
        />
      {:else}
        <ConcealCard
          concealing={bench.concealing}
          keying={bench.keying}
          playhead={bench.playhead}
          selection={bench.selection}
          session={bench.session}
          toolbox={bench.toolbox}
          {item}
        />
      {/if}
    </div>
  {/if}
</aside>
