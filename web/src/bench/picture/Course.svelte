<svelte:options namespace="svg" />

<script lang="ts">
  // The course of the centre: a point a frame, larger where the placement has a key.
  import type { Bench } from '../bench.svelte';
  import { dark } from './colours';
  import Line from './Line.svelte';
  import { core } from '../../core/core';
  import { course as line } from './colours';
  import type { Drags } from './drags';

  interface Props {
    bench: Bench;
    px: number;
    free: boolean;
    drags: Drags;
  }
  let { bench, px, free, drags }: Props = $props();
  const cover = $derived(bench.selection.cover);
  const course = $derived.by(() => {
    if (!bench.viewport.course || !cover) return undefined;
    void bench.selection.shapes;
    const keyed = new Set(bench.selection.state!.lanes.find((l) => l.name === 'placement')?.frames);
    const first = cover.span.first;
    const points = core.course({ cover: cover.id }).map((p, i) => ({ ...p, f: first + i, key: keyed.has(first + i) }));
    return { points, drawn: points.toSorted((a, b) => Number(a.key) - Number(b.key)) };
  });
</script>

{#if course}
  <Line d={'M' + course.points.map((p) => `${p.x} ${p.y}`).join('L')} colour={line} width={1} />
  <!-- Keys last: where the cover stood still, the key is the one to take hold of. -->
  {#each course.drawn as p (p.f)}
    <circle
      cx={p.x}
      cy={p.y}
      r={(p.key ? 4 : p.f === bench.playhead.whole ? 3 : 1.5) * px}
      fill={p.key ? line : p.f === bench.playhead.whole ? '#fff' : '#6e9485'}
      stroke={dark}
      stroke-width={p.key ? 1 : 0}
      vector-effect="non-scaling-stroke"
      style:cursor={free ? 'move' : 'default'}
      onpointerdown={(e) => drags.course(e, p.f)}
      role="presentation"
      data-testid={p.key ? `course ${p.f}` : undefined}
    />
  {/each}
{/if}
