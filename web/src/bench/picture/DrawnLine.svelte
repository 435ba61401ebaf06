<svelte:options namespace="svg" />

<script lang="ts">
  // What is being drawn, with the line to the pointer.
  import type { Bench } from '../bench.svelte';
  import { bright, dark } from './colours';
  import Line from './Line.svelte';
  import type { Knot } from '../../api/api';

  interface Props {
    bench: Bench;
    px: number;
  }
  let { bench, px }: Props = $props();
  const drawn = $derived.by(() => {
    const d = bench.toolbox.drawing;
    if (!d?.open) return undefined;
    const ks = d.knots;
    if (d.shape === 'ellipse') return { d: '', ellipse: [ks[0]!.p, ks[2]!.p] as const };
    const seg = (k: Knot, l: Knot) =>
      `C${k.p.x + (k.out?.x ?? 0)} ${k.p.y + (k.out?.y ?? 0)} ` +
      `${l.p.x + (l.in?.x ?? 0)} ${l.p.y + (l.in?.y ?? 0)} ${l.p.x} ${l.p.y}`;
    let s =
      `M${ks[0]!.p.x} ${ks[0]!.p.y}` +
      ks
        .slice(1)
        .map((k, i) => seg(ks[i]!, k))
        .join('');
    if (ks.length === 4 && d.shape !== 'path') s += 'Z';
    else if (d.at) s += seg(ks.at(-1)!, { p: d.at });
    return { d: s, ellipse: undefined };
  });
</script>

{#if drawn}
  {#if drawn.ellipse}
    {@const [p, q] = drawn.ellipse}
    <ellipse
      cx={(p.x + q.x) / 2}
      cy={(p.y + q.y) / 2}
      rx={(q.x - p.x) / 2}
      ry={(q.y - p.y) / 2}
      fill="none"
      stroke={bright}
      stroke-width="1.5"
      vector-effect="non-scaling-stroke"
    />
  {:else}
    <Line d={drawn.d} colour={bright} width={1.5} />
    {#if bench.toolbox.drawing!.shape === 'path' || bench.toolbox.drawing!.shape === 'corners'}
      {#each bench.toolbox.drawing!.knots as k, i (i)}
        <circle
          cx={k.p.x}
          cy={k.p.y}
          r={(i === 0 ? 6 : 3.5) * px}
          fill={i === 0 ? dark : bright}
          stroke={i === 0 ? bright : dark}
          stroke-width="1.5"
          vector-effect="non-scaling-stroke"
          pointer-events="none"
        />
      {/each}
    {/if}
  {/if}
{/if}
