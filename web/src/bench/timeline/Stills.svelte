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

  /** Small pictures, made beside the page's own work; few at once, so that the frame shown goes first. */
  const made = new Map<number, Promise<ImageBitmap>>();
  let turn: Promise<unknown> = Promise.resolve();
  function small(f: number): Promise<ImageBitmap> {
    const load = async () => {
      const r = await fetch(`/api/sources/${view.source}/views/${view.first + f}.jpg`);
      if (!r.ok) throw new Error(r.statusText);
      const resizeHeight = Math.round(height * devicePixelRatio * 1.5);
      return createImageBitmap(await r.blob(), { resizeHeight, resizeQuality: 'medium' });
    };
    let p = made.get(f);
    if (!p) {
      p = turn.then(load);
      turn = p.catch(() => made.delete(f)); // asked for again when it is wanted again
      made.set(f, p);
    }
    return p;
  }
  const draw = (f: number) => (c: HTMLCanvasElement) => {
    let gone = false;
    small(f).then(
      (b) => {
        if (gone) return;
        c.width = b.width;
        c.height = b.height;
        c.getContext('2d')!.drawImage(b, 0, 0);
        c.dataset.ready = 'true';
      },
      () => {}, // the next one may be there
    );
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
