<script lang="ts">
  // Stills along the shot, as they came: each is the middle of the frames below it.
  import type { Bench } from '../bench.svelte';
  import type { Scale } from './scale.svelte';

  let { bench, scale }: { bench: Bench; scale: Scale } = $props();
  const height = 40;
  const view = $derived(bench.shot.view!);
  const width = $derived.by(() => {
    const { info } = view.sourceInfo;
    return (height * info.width * info.pixel.num) / (info.height * info.pixel.den);
  });
  /** Frames to a still: where the timeline scrolls, stills stay those of their frames. */
  const every = $derived(Math.max(Math.ceil(width / scale.step), 1));
  const stills = $derived.by(() => {
    const out: number[] = [];
    for (let f = Math.max(Math.floor(scale.first / every) * every, 0); f < scale.frames; f += every) {
      if (f > scale.first + scale.shown) break;
      out.push(f);
    }
    return out;
  });
  const middle = (f: number) => Math.min(f + Math.floor(every / 2), bench.shot.last);

  /** Made one after another beside the page's own work, so that the frame shown goes first; who is gone is passed. */
  let turn: Promise<unknown> = Promise.resolve();
  const draw = (f: number) => (c: HTMLCanvasElement) => {
    let gone = false;
    const make = async () => {
      if (gone) return;
      const r = await fetch(`/api/sources/${view.source}/views/${view.first + f}.jpg`);
      if (!r.ok) return; // not made yet
      const resizeHeight = Math.round(height * devicePixelRatio * 1.5);
      const small = await createImageBitmap(await r.blob(), { resizeHeight, resizeQuality: 'medium' });
      c.width = small.width;
      c.height = small.height;
      c.getContext('2d')!.drawImage(small, 0, 0);
      small.close();
      c.dataset.ready = 'true';
    };
    turn = turn.then(make).catch(() => {});
    return () => (gone = true);
  };
</script>

<div class="relative overflow-hidden bg-[#161616]" style="height:{height}px" data-testid="stills">
  {#each stills as f (`${f} ${every}`)}
    {@const m = middle(f)}
    <button
      class="absolute inset-y-0 cursor-pointer overflow-hidden"
      style="left:{scale.left(f)}px;width:{every * scale.step}px"
      tabindex="-1"
      aria-label="Go to frame {m}"
      onclick={() => bench.playhead.seek(m)}
      ><canvas class="h-full w-full object-cover" {@attach draw(m)}></canvas></button
    >
  {/each}
</div>
