<svelte:options namespace="svg" />

<script lang="ts">
  import type { Bench } from '../bench.svelte';
  import { bright, light } from './colours';
  import Line from './Line.svelte';
  import type { Point } from '../../api/api';
  import { surface as colourOf } from './colours';
  import type { Drags } from './drags';

  interface Props {
    bench: Bench;
    px: number;
    correction: Bench['following']['correction'];
    drags: Drags;
  }
  let { bench, px, correction, drags }: Props = $props();
</script>

<!-- The surface: a dotted line with corner ticks, in the form of how well it is known. -->
{#snippet ticks(corners: Point[], colour: string)}
  {#each corners as p, i (i)}
    {@const [q, r] = [corners[(i + 1) % corners.length]!, corners[(i + corners.length - 1) % corners.length]!]}
    {@const way = (to: Point) => {
      const l = Math.hypot(to.x - p.x, to.y - p.y) || 1;
      const k = Math.min(9 * px, l / 3) / l;
      return { x: p.x + (to.x - p.x) * k, y: p.y + (to.y - p.y) * k };
    }}
    {@const [u, v] = [way(q), way(r)]}
    <Line d={`M${u.x} ${u.y}L${p.x} ${p.y}L${v.x} ${v.y}`} {colour} width={2} />
  {/each}
{/snippet}
{#snippet cross(p: Point, colour: string)}
  <Line
    d={`M${p.x - 6 * px} ${p.y}L${p.x + 6 * px} ${p.y}M${p.x} ${p.y - 6 * px}L${p.x} ${p.y + 6 * px}`}
    {colour}
    width={1.5}
  />
{/snippet}
{#if correction}
  {#if !correction.points}
    <Line
      d={'M' + correction.corners.map((p) => `${p.x} ${p.y}`).join('L') + 'Z'}
      colour={light}
      width={1}
      dash="1 4"
    />
    {@render ticks(correction.corners, light)}
    <path
      d={'M' + correction.corners.map((p) => `${p.x} ${p.y}`).join('L') + 'Z'}
      fill="transparent"
      style="cursor:move"
      onpointerdown={(e) => drags.correction(e, -1)}
      role="presentation"
      data-testid="mend all"
    />
  {/if}
  {#each correction.corners as p, i (i)}
    <!-- Above what moves all of them: a corner is taken hold of from inside, too. -->
    <circle
      cx={p.x}
      cy={p.y}
      r={6 * px}
      fill="#fff"
      fill-opacity=".25"
      stroke="#fff"
      stroke-width="1.5"
      vector-effect="non-scaling-stroke"
      style="cursor:move"
      onpointerdown={(e) => drags.correction(e, i)}
      role="presentation"
      data-testid="mend {i}"
    />
  {/each}
{:else if (bench.steps.current === 'follow' && bench.following.shown) || bench.following.running}
  {@const s = bench.following.surface}
  {#if s && s.state !== '-'}
    {@const colour = colourOf(s.state)}
    {#if s.path}
      <Line d={s.path} {colour} width={1} dash={s.state === 'l' ? '1 8' : s.state === 'w' ? '5 3' : '1 3'} />
      {@render ticks(s.outline.length === 4 ? s.outline : s.corners, colour)}
    {/if}
    {#if !s.path}
      {#each s.outline as p, i (i)}{@render cross(p, colour)}{/each}
    {/if}
  {/if}
  {#if bench.following.ghost}<Line d={bench.following.ghost} colour={bright} width={1.5} dash="6 3" />{/if}
{/if}
{#if bench.following.apart && bench.following.apart.frame === bench.playhead.frame && !bench.following.running}
  {@const a = bench.following.apart}
  {#if a.points}
    {#each a.surface as p, i (i)}{@render cross(p, light)}{/each}
  {:else}
    <Line d={'M' + a.surface.map((p) => `${p.x} ${p.y}`).join('L') + 'Z'} colour={light} width={1} dash="1 4" />
    {@render ticks(a.surface, light)}
  {/if}
{/if}
