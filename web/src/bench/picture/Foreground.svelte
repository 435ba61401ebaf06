<svelte:options namespace="svg" />

<script lang="ts">
  import type { Bench } from '../bench.svelte';
  import { dark } from './colours';

  interface Props {
    bench: Bench;
    px: number;
  }
  let { bench, px }: Props = $props();
  const now = $derived(bench.playhead.whole);
  const within = (s: { first: number; last: number }) => s.first <= now && now <= s.last;
</script>

<!-- What is held out: hatched grey where that is accepted, thinly dotted where it is only proposed. -->
{#if bench.steps.current === 'hold' && bench.playhead.speed === 0 && !bench.session.saving}
  {#each bench.selection.holdouts.filter((c) => !c.off && within(c.span)) as c (c.id)}
    {@const on = !c.proposed || c.proposed.accepted.some(within)}
    {#if c.id === bench.selection.holdoutId || on}
      <defs>
        <mask
          id="front-{c.id}"
          maskUnits="userSpaceOnUse"
          x="0"
          y="0"
          width={bench.shot.width}
          height={bench.shot.height}
        >
          <image
            href="/api/shots/{bench.shot.id}/foreground/{bench.session.shown}/{c.id}/{bench.playhead.frame}"
            x="0"
            y="0"
            width={bench.shot.width}
            height={bench.shot.height}
            preserveAspectRatio="none"
          />
        </mask>
        <pattern
          id="hatch-{c.id}"
          patternUnits="userSpaceOnUse"
          width={(on ? 7 : 5) * px}
          height={(on ? 7 : 5) * px}
          patternTransform="rotate(45)"
        >
          {#if on}<rect width={3 * px} height={7 * px} fill="#e6e6e6" fill-opacity=".55" /><rect
              x={3 * px}
              width={px}
              height={7 * px}
              fill="#161616"
              fill-opacity=".6"
            />{:else}<circle cx={1.5 * px} cy={1.5 * px} r={1.1 * px} fill="#ffffff" fill-opacity=".85" />{/if}
        </pattern>
      </defs>
      <rect
        width={bench.shot.width}
        height={bench.shot.height}
        fill="url(#hatch-{c.id})"
        mask="url(#front-{c.id})"
        pointer-events="none"
        data-testid="front"
        data-accepted={on}
      />
    {/if}
  {/each}
{/if}
{#if bench.holdouts.stroke.length}
  <path
    d={'M' +
      bench.holdouts.stroke.map((p) => `${p.x} ${p.y}`).join('L') +
      (bench.holdouts.stroke.length === 1 ? 'h0' : '')}
    fill="none"
    stroke={bench.holdouts.adds ? '#e6e6e6' : dark}
    stroke-opacity=".6"
    stroke-width={2 * bench.holdouts.radius}
    stroke-linecap="round"
    stroke-linejoin="round"
    pointer-events="none"
  />
{/if}
