<script lang="ts">
  import { route } from './lib/route.svelte';
  import BenchView from './views/Bench.svelte';
  import ReviewView from './views/Review.svelte';
  import ProgrammeView from './views/Programme.svelte';
  import Programmes from './views/Programmes.svelte';
  import SourceView from './views/Source.svelte';
</script>

{#key route.path}
  {#if route.view === 'programmes'}
    <ProgrammeView id={route.id} />
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
