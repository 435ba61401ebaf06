<svelte:options namespace="svg" />

<script lang="ts">
  // What the selected cover is sized, turned and reshaped by.
  import type { Bench } from '../bench.svelte';
  import { bright, dark } from './colours';
  import type { SelectedCover } from '../../api/api';
  import { carry } from '../map';
  import { turned, type Drags } from './drags';

  interface Props {
    bench: Bench;
    px: number;
    state: SelectedCover;
    drags: Drags;
  }
  let { bench, px, state, drags }: Props = $props();

  // A box is sized by its own corners; around other outlines stands a frame apart.
  const boxes = $derived(state.outlines.every((o) => o.shape === 'box' || o.shape === 'ellipse'));
  const apart = $derived(boxes ? 0 : 12 * px);
  const handles = [
    [-1, -1],
    [0, -1],
    [1, -1],
    [1, 0],
    [1, 1],
    [0, 1],
    [-1, 1],
    [-1, 0],
  ] as const;
</script>

{#if bench.selection.knots.indexes.length === 0}
  {@const [hx, hy] = [state.size.x / 2 + apart, state.size.y / 2 + apart]}
  {@const at = (x: number, y: number) => {
    const v = turned(x, y, state.placement.turn);
    return carry(state.carry, { x: state.home.x + v.x, y: state.home.y + v.y });
  }}
  {@const up = at(0, -hy)}
  {@const far = Math.hypot(up.x - state.centre.x, up.y - state.centre.y) || 1}
  {@const knob = {
    x: up.x + ((up.x - state.centre.x) / far) * 24 * px,
    y: up.y + ((up.y - state.centre.y) / far) * 24 * px,
  }}
  {#if !boxes}<polygon
      points={[at(-hx, -hy), at(hx, -hy), at(hx, hy), at(-hx, hy)].map((p) => `${p.x},${p.y}`).join(' ')}
      fill="none"
      stroke={bright}
      stroke-opacity=".7"
      stroke-dasharray="2 4"
      vector-effect="non-scaling-stroke"
      pointer-events="none"
    />{/if}
  <line
    x1={up.x}
    y1={up.y}
    x2={knob.x}
    y2={knob.y}
    stroke={bright}
    stroke-width="1"
    vector-effect="non-scaling-stroke"
  />
  <circle
    cx={knob.x}
    cy={knob.y}
    r={5 * px}
    fill={dark}
    stroke={bright}
    stroke-width="1.5"
    vector-effect="non-scaling-stroke"
    style="cursor:grab"
    onpointerdown={(e) => drags.turn(e)}
    role="presentation"
    data-testid="turn"
  />
  {#each handles as [sx, sy] (`${sx}${sy}`)}
    {@const p = at(sx * hx, sy * hy)}
    <circle
      cx={p.x}
      cy={p.y}
      r={(sx && sy ? 5 : 3.5) * px}
      fill={boxes ? bright : dark}
      stroke={boxes ? dark : bright}
      stroke-width="1"
      vector-effect="non-scaling-stroke"
      style="cursor:{sx * sy > 0 ? 'nwse' : sx * sy < 0 ? 'nesw' : sx ? 'ew' : 'ns'}-resize"
      onpointerdown={(e) => drags.size(e, sx, sy, apart)}
      role="presentation"
      data-testid="size {sx},{sy}"
    />
  {/each}
{/if}
{#each state.outlines as o (o.id)}
  {#if o.shape === 'path' || o.shape === 'corners'}
    {#each o.knots as k, i (i)}
      {@const picked = bench.selection.knots.outline === o.id && bench.selection.knots.indexes.includes(i)}
      {#if picked}
        {#each ['in', 'out'] as const as end (end)}
          {@const d = k[end]}
          {#if d && (d.x || d.y)}
            <line
              x1={k.p.x}
              y1={k.p.y}
              x2={k.p.x + d.x}
              y2={k.p.y + d.y}
              stroke={bright}
              stroke-width="1"
              vector-effect="non-scaling-stroke"
              pointer-events="none"
            />
            <circle
              cx={k.p.x + d.x}
              cy={k.p.y + d.y}
              r={3.5 * px}
              fill={dark}
              stroke={bright}
              stroke-width="1.5"
              vector-effect="non-scaling-stroke"
              style="cursor:move"
              onpointerdown={(e) => drags.handle(e, o.id, i, end)}
              role="presentation"
              data-testid="handle {i} {end}"
            />
          {/if}
        {/each}
      {/if}
      <circle
        cx={k.p.x}
        cy={k.p.y}
        r={(picked ? 5.5 : 4.5) * px}
        fill={picked ? '#fff' : bright}
        stroke={dark}
        stroke-width="1"
        vector-effect="non-scaling-stroke"
        style="cursor:move"
        onpointerdown={(e) => drags.knot(e, o.id, i)}
        ondblclick={(e) => (e.stopPropagation(), drags.toggleSmooth(o, i))}
        role="presentation"
        data-testid="knot {i}"
      />
    {/each}
  {/if}
{/each}
