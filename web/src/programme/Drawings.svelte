<script lang="ts">
  // Footage of the demo that is still being drawn; each appears among the shots when it is there.
  import { onMount } from 'svelte';
  import { api, ask, listen, type Drawing } from '../api/api';

  let { programme }: { programme: string } = $props();
  let list = $state.raw<Drawing[]>([]);
  let error = $state('');

  async function load() {
    try {
      list = await ask(api.GET('/api/programmes/{id}/drawings', { params: { path: { id: programme } } }));
    } catch (e) {
      error = (e as Error).message;
    }
  }
  let later: ReturnType<typeof setTimeout> | undefined;
  onMount(() => {
    void load();
    const stop = listen((kind) => {
      if (kind !== 'all' && kind !== 'drawing') return;
      later ??= setTimeout(() => ((later = undefined), void load()), 300);
    });
    return () => (stop(), clearTimeout(later));
  });
  async function again(d: Drawing) {
    try {
      await ask(api.POST('/api/drawings/{id}/retry', { params: { path: { id: d.id } } }));
    } catch (e) {
      error = (e as Error).message;
    }
    await load();
  }
  async function remove(d: Drawing) {
    try {
      await ask(api.DELETE('/api/drawings/{id}', { params: { path: { id: d.id } } }));
    } catch (e) {
      error = (e as Error).message;
    }
    await load();
  }
</script>

{#if error}<p class="text-error" role="alert">{error}</p>{/if}
{#if list.length}
  <section class="flex flex-col gap-2 border border-base-300 bg-base-200 p-3" aria-label="Footage being drawn">
    <p>The demo’s footage is being drawn. Each shot appears here when it is there; there is no need to wait.</p>
    <ul class="grid grid-cols-[minmax(0,1fr)_10rem_9rem_auto] items-center gap-x-3 gap-y-1">
      {#each list as d (d.id)}
        <li class="contents" data-testid="drawing" data-state={d.state}>
          <span class="truncate">{d.title}</span>
          <progress
            class="progress progress-primary"
            value={d.done}
            max={Math.max(d.frames, 1)}
            aria-label="Frames drawn of {d.title}"
          ></progress>
          <span class={d.state === 'failed' ? 'text-error' : 'quiet tc'}
            >{d.error || d.waiting || (d.done ? `${d.done} of ${d.frames}` : 'waits')}</span
          >
          <span class="flex justify-end gap-1">
            {#if d.state === 'failed'}<button class="btn btn-xs" onclick={() => void again(d)}>Try again</button>{/if}
            <button class="btn btn-xs" aria-label="Do not draw {d.title}" onclick={() => void remove(d)}
              >{d.state === 'failed' ? 'Dismiss' : 'Stop'}</button
            ></span
          >
        </li>
      {/each}
    </ul>
  </section>
{/if}
