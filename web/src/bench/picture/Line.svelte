<svelte:options namespace="svg" />

<script lang="ts">
  // A line on a dark rim, as wide on the screen at every zoom.
  interface Props {
    d: string;
    colour: string;
    width: number;
    dash?: string;
  }
  let { d, colour, width, dash }: Props = $props();
</script>

<path
  {d}
  fill="none"
  stroke="#000"
  stroke-opacity=".55"
  stroke-width={width + 2}
  vector-effect="non-scaling-stroke"
  pointer-events="none"
/>
<path
  {d}
  fill="none"
  stroke={colour}
  stroke-width={width}
  stroke-dasharray={dash}
  vector-effect="non-scaling-stroke"
  pointer-events="none"
/>
