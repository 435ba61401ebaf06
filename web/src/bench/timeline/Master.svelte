<script lang="ts">
  // The whole source as a band: this shot, and the others to go to.
  import { api, ask, type ShotRow } from '../../api/api';
  import { route } from '../../shared/route.svelte';
  import type { OpenShot } from '../shot.svelte';

  let { shot }: { shot: OpenShot } = $props();
  let shots = $state.raw<ShotRow[]>([]);
  const frames = $derived(shot.view!.sourceInfo.info.frames);

  $effect(() => {
    const { programme, source } = shot.view!;
    ask(api.GET('/api/programmes/{id}', { params: { path: { id: programme } } }))
      .then((p) => (shots = p.shots.filter((s) => s.source === source).sort((a, b) => a.first - b.first)))
      .catch(() => (shots = []));
  });
</script>

<nav class="relative h-[14px]" aria-label="Shots of the source">
  <div class="absolute inset-x-0 top-[6px] h-[2px] bg-base-300"></div>
  {#each shots as s (s.id)}
    <a
      href="/shots/{s.id}"
      class="absolute border-r border-base-100 {s.id === shot.id
        ? 'top-[4px] h-[6px] bg-(--slat)'
        : 'top-[1px] h-[12px] bg-base-300 hover:bg-(--slat-off)'}"
      style="left:{(100 * s.first) / frames}%;width:max(3px,{(100 * s.frames) / frames}%)"
      aria-label={s.id === shot.id ? `${s.name}, this shot` : `Go to ${s.name}`}
      aria-current={s.id === shot.id}
      title={s.name}
      onclick={route.follow}
    ></a>
  {/each}
</nav>
