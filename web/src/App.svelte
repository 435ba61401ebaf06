<script lang="ts">
  import { look } from './shared/look.svelte';
  import { route } from './shared/route.svelte';
  import BenchView from './bench/Bench.svelte';
  import ReviewView from './review/Review.svelte';
  import ProgrammeView from './programme/Programme.svelte';
  import ProposalsView from './proposals/Proposals.svelte';
  import Programmes from './programme/Programmes.svelte';
  import SourceView from './source/Source.svelte';

  $effect(() => {
    document.documentElement.dataset.theme = look.theme;
  });
</script>

{#key route.path}
  {#if route.view === 'programmes'}
    <ProgrammeView id={route.id} />
  {:else if route.view === 'proposals'}
    <ProposalsView id={route.id} />
  {:else if route.view === 'review'}
    <ReviewView id={route.id} />
  {:else if route.view === 'sources'}
    <SourceView id={route.id} />
  {:else if route.view === 'shots'}
    <BenchView id={route.id} />
  {:else}
    <Programmes />
  {/if}
{/key}
