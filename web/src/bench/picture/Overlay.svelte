<script lang="ts">
  // What lies on the picture, from below: covers, labels, holdouts, the course, the
  // surface, handles, the drawing. All coordinates are the picture's; px is the size of a
  // screen pixel there.
  import type { Bench } from '../bench.svelte';
  import { conflict } from './colours';
  import Course from './Course.svelte';
  import Boxes from '../found/Boxes.svelte';
  import Covers from './Covers.svelte';
  import { Drags } from './drags';
  import DrawnLine from './DrawnLine.svelte';
  import Foreground from './Foreground.svelte';
  import Handles from './Handles.svelte';
  import Labels from './Labels.svelte';
  import Line from './Line.svelte';
  import type { Pointer } from './pointer';
  import Surface from './Surface.svelte';

  interface Props {
    bench: Bench;
    px: number;
    pointer: Pointer;
  }
  let { bench, px, pointer }: Props = $props();

  /** The selected cover, where it may be dragged. Holding out moves no cover. */
  const free = $derived.by(() => {
    const { selection, toolbox, playhead, steps, holdouts } = bench;
    const idle = toolbox.tool === 'move' && playhead.speed === 0;
    const shown = selection.cover && !selection.cover.locked && !selection.cover.unseen;
    const ours = steps.current !== 'hold' || holdouts.outlined;
    return idle && shown && ours && selection.state?.inside ? selection.state : undefined;
  });
  const correction = $derived(
    bench.following.correction?.frame === bench.playhead.frame ? bench.following.correction : undefined,
  );
  // Neither the bench nor its pointer is another one while the picture is there.
  // svelte-ignore state_referenced_locally
  const drags = new Drags(bench, pointer, () => !!free);
</script>

<Covers {bench} {px} free={!!free} {drags} {pointer} />
<Labels {bench} />
<Foreground {bench} {px} />
<Course {bench} {px} free={!!free} {drags} />
<Surface {bench} {px} {correction} {drags} />
{#if bench.session.conflict?.path}<Line d={bench.session.conflict.path} colour={conflict} width={1.5} dash="6 4" />{/if}
{#if free && bench.toolbox.drawing === undefined && !correction}<Handles {bench} {px} state={free} {drags} />{/if}
<Boxes found={bench.found} />
<DrawnLine {bench} {px} />
