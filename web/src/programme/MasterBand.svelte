<script lang="ts">
  // The master as a band: its shots in their order, as wide as they are long, each with a
  // picture, and under it where items appear and in which state they are.
  import type { List, Programme } from '../api/api';
  import { route } from '../shared/route.svelte';
  import { states } from '../shared/states';

  let { programme, list }: { programme: Programme; list: List } = $props();
  const total = $derived(programme.shots.reduce((n, s) => n + s.frames, 0));
  const ready = $derived(new Set(programme.sources.filter((s) => s.state === 'ready').map((s) => s.id)));
  const names = $derived(new Map(list.items.map((i) => [i.id, i.name])));
  const rows = $derived.by(() => {
    const by = new Map(programme.shots.map((s) => [s.id, [] as List['appearances']]));
    for (const a of list.appearances) by.get(a.shot)?.push(a);
    return by;
  });
  /** Where all shots are as narrow as can be, only those in sight are made: there may be hundreds. */
  const narrow = 44; // px, and 1 between
  let width = $state(1100); // until it is known
  let scrolled = $state(0);
  const all = $derived(programme.shots.length);
  const many = $derived(all * (narrow + 1) > 2 * width);
  const from = $derived(many ? Math.max(Math.floor(scrolled / (narrow + 1)) - 8, 0) : 0);
  const to = $derived(many ? Math.min(Math.ceil((scrolled + width) / (narrow + 1)) + 8, all) : all);
  const room = (shots: number) => `flex:none;width:${shots * (narrow + 1) - 1}px`;
  const most = $derived(Math.min(Math.max(...[...rows.values()].map((r) => r.length), 1), 6));
</script>

<div
  class="flex gap-px overflow-x-auto"
  data-testid="band"
  bind:clientWidth={width}
  onscroll={(e) => (scrolled = e.currentTarget.scrollLeft)}
>
  {#if from}<span style={room(from)}></span>{/if}
  {#each programme.shots.slice(from, to) as s (s.id)}
    {@const here = rows.get(s.id) ?? []}
    <a
      class="group flex min-w-[44px] flex-col gap-px overflow-hidden"
      style={many ? room(1) : `flex:${Math.max(s.frames / total, 0.01)} 1 0`}
      href="/shots/{s.id}"
      title="{s.name}: {here.map((a) => `${names.get(a.item)}, ${states[a.state].name.toLowerCase()}`).join('; ') ||
        'nothing listed'}"
      aria-label="{s.name}, in the master"
      onclick={route.follow}
    >
      {#if ready.has(s.source)}<img
          class="h-12 w-full bg-[#1c1c1c] object-cover group-hover:opacity-80"
          src="/api/sources/{s.source}/views/{s.first + Math.min(20, s.frames - 1)}.jpg?near=true"
          alt=""
          loading="lazy"
        />{:else}<span class="h-12 bg-base-300"></span>{/if}
      {#each { length: most } as _, i (i)}
        {@const a = here[i]}
        <span class="relative block h-[5px] bg-base-200">
          {#if a}<span
              class="absolute inset-y-0"
              style="left:{a.first < 0 ? 0 : (100 * a.first) / s.frames}%;right:{a.first < 0
                ? 0
                : 100 - (100 * (a.last + 1)) / s.frames}%;background:{states[a.state].fill}"
            ></span>{/if}
        </span>
      {/each}
    </a>
  {/each}
  {#if to < all}<span style={room(all - to)}></span>{/if}
</div>
