<script lang="ts">
  // Where shots begin in a source: found, shown by the frames on either side, corrected,
  // and turned into shots.
  import { onMount } from 'svelte';
  import { api, ask, type Boundary, type Source } from '../api/api';

  let { s }: { s: Source } = $props();
  let list = $state.raw<Boundary[]>([]);
  let searched = $state(false);
  let frame = $state<number>();
  let error = $state('');
  let said = $state('');

  /** The last frame before a boundary and the first after it. */
  const beside = (b: Boundary) =>
    b.dissolve
      ? [Math.max(b.from - 1, 0), Math.min(2 * b.frame - b.from, s.frames - 1)]
      : [Math.max(b.frame - 1, 0), b.frame];

  async function load() {
    try {
      const b = await ask(api.GET('/api/sources/{id}/boundaries', { params: { path: { id: s.id } } }));
      [list, searched] = [b.boundaries, b.searched];
    } catch (e) {
      error = (e as Error).message;
    }
  }
  onMount(load);
  $effect(() => {
    void s; // the source changed: it was searched
    if (!searched) void load();
  });

  async function keep(next: Boundary[]) {
    const was = list;
    list = next.sort((a, b) => a.frame - b.frame);
    said = '';
    try {
      await ask(
        api.PUT('/api/sources/{id}/boundaries', { params: { path: { id: s.id } }, body: { boundaries: list } }),
      );
      error = '';
    } catch (e) {
      error = (e as Error).message;
      list = was;
    }
  }
  const shift = (b: Boundary, by: number) =>
    keep(
      list.map((x) =>
        x === b ? { frame: b.frame + by, from: Math.min(b.from, b.frame + by), dissolve: b.dissolve } : x,
      ),
    );
  async function cut() {
    try {
      const shots = await ask(
        api.POST('/api/sources/{id}/shots', { params: { path: { id: s.id } }, body: { boundaries: list } }),
      );
      said = `${shots.length} ${shots.length === 1 ? 'shot' : 'shots'} now.`;
      error = '';
    } catch (e) {
      error = (e as Error).message;
    }
  }
  function add(e: Event) {
    e.preventDefault();
    if (frame !== undefined && !list.some((b) => b.frame === frame))
      void keep([...list, { frame, from: frame, dissolve: false }]);
    frame = undefined;
  }
</script>

<section class="flex flex-col gap-2" aria-labelledby="cuts" data-testid="boundaries">
  <div class="flex items-center gap-2">
    <h2 id="cuts" class="mr-auto text-lg font-semibold">Where shots begin</h2>
    <span class="quiet"
      >{searched ? `${list.length} ${list.length === 1 ? 'boundary' : 'boundaries'}` : 'not searched yet'}</span
    >
    <button class="btn btn-primary btn-sm" disabled={!searched} onclick={cut}
      >Make {list.length + 1} {list.length ? 'shots' : 'shot'}</button
    >
  </div>
  {#if error}<p class="text-error" role="alert">{error}</p>{/if}
  {#if said}<p role="status">{said}</p>{/if}
  <!-- The source from its first frame to its last, a bar for each shot. -->
  <div class="relative flex h-6 border border-base-300" aria-hidden="true">
    {#each [0, ...list.map((b) => b.frame)] as first, i (first)}
      <div
        class="h-full {i % 2 ? 'bg-base-300' : 'bg-(--slat)'}"
        style="width:{(100 * ((list[i]?.frame ?? s.frames) - first)) / s.frames}%"
      ></div>
    {/each}
  </div>
  <ul class="grid grid-cols-2 gap-3">
    {#each list as b (b.frame)}
      <li
        class="flex flex-col gap-1 border border-base-300 p-2 {b.dissolve ? 'border-dashed border-warning' : ''}"
        data-testid="boundary"
      >
        <div class="flex gap-1">
          {#each beside(b) as f, i (i)}
            <figure class="flex-1">
              <img
                class="aspect-video w-full bg-[#1c1c1c] object-contain"
                loading="lazy"
                alt={i ? 'First frame after' : 'Last frame before'}
                src="/api/sources/{s.id}/views/{f}.jpg"
              />
              <figcaption class="tc quiet text-[12px]">f {f}</figcaption>
            </figure>
          {/each}
        </div>
        <div class="flex items-center gap-1">
          <span class="mr-auto">{b.dissolve ? 'Gradual: look at it' : 'Cut'}</span>
          <button class="btn btn-xs" aria-label="A frame earlier" onclick={() => shift(b, -1)}>−1</button>
          <button class="btn btn-xs" aria-label="A frame later" onclick={() => shift(b, 1)}>+1</button>
          {#if b.dissolve}<button
              class="btn btn-xs"
              onclick={() => keep(list.map((x) => (x === b ? { ...b, dissolve: false, from: b.frame } : x)))}
              >It is one</button
            >{/if}
          <button class="btn btn-xs" onclick={() => keep(list.filter((x) => x !== b))}>No boundary</button>
        </div>
      </li>
    {:else}
      {#if searched}<li class="quiet col-span-2">
          No cut was found: the source is one shot. Add a boundary by hand where there is one.
        </li>{/if}
    {/each}
  </ul>
  <form class="flex items-center gap-2" onsubmit={add}>
    <input
      type="number"
      class="input w-32 input-sm"
      aria-label="First frame of a shot"
      placeholder="Frame"
      min="1"
      max={s.frames - 1}
      bind:value={frame}
      required
    />
    <button class="btn btn-sm">A shot begins here</button>
  </form>
</section>
