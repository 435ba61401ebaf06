<script lang="ts">
  // The selected surface as it lies on its reference, frame after frame: what slips
  // is seen at once. A click goes to the frame; the strip scrolls with the shot.
  import { zoomOf } from '../../shared/zoom';
  import type { Bench } from '../bench.svelte';

  let { bench }: { bench: Bench } = $props();
  const per = 20; // frames in one picture of the server
  const times = $derived(bench.viewport.stripLarge ? 2 : 1);
  const [cellW, cellH] = $derived([88 * times, 56 * times]);
  const as = $derived(`&scale=${times}${bench.viewport.stripDiffers ? '&difference=1' : ''}`);
  let room = $state<HTMLDivElement>();
  let width = $state(800);
  const s = $derived(bench.following.striped);
  const span = $derived(bench.selection.cover!.span);
  const first = $derived(Math.min(span.first, bench.shot.last));
  const frames = $derived(span.last - first + 1);
  // The frame shown stands in the middle.
  const left = $derived(
    Math.min(
      Math.max((bench.playhead.whole - first + 0.5) * cellW - width / 2, 0),
      Math.max(frames * cellW - width, 0),
    ),
  );
  const blocks = $derived.by(() => {
    const from = Math.max(Math.floor(left / cellW / per) - 1, 0);
    const to = Math.min(Math.ceil((left + width) / cellW / per) + 1, Math.ceil(frames / per));
    return Array.from({ length: Math.max(to - from, 0) }, (_, i) => first + (from + i) * per);
  });
  // One picture is asked for at a time, and the old one stays until the new one is
  // here: while the tracker runs they change many times a second.
  let pictures = $state.raw<Record<string, { of: string; url: string }>>({});
  let asking = $state(false);
  const gone = new AbortController();
  const of = (at: number) => `${s!.attempt}/strip/${at}?known=${version(at)}${bench.following.running ? 'r' : ''}${as}`;
  $effect(() => {
    if (asking || !s) return;
    const distance = (at: number) => Math.abs(at + per / 2 - bench.playhead.whole);
    const at = blocks
      .filter((x) => version(x) && pictures[x]?.of !== of(x))
      .sort((x, y) => distance(x) - distance(y))[0];
    if (at === undefined) return;
    const wanted = of(at);
    asking = true;
    void (async () => {
      try {
        const r = await fetch(`/api/attempts/${wanted}`, { signal: gone.signal });
        if (!r.ok) throw new Error(r.statusText);
        const url = URL.createObjectURL(await r.blob());
        if (pictures[at]) URL.revokeObjectURL(pictures[at].url);
        pictures = { ...pictures, [at]: { of: wanted, url } };
      } catch {
        if (gone.signal.aborted) return;
        pictures = { ...pictures, [at]: { of: wanted, url: pictures[at]?.url ?? '' } }; // not asked for again as it is
      }
      asking = false;
    })();
  });
  $effect(() => () => {
    gone.abort();
    for (const p of Object.values(pictures)) URL.revokeObjectURL(p.url);
  });
  /** Changes whenever more of a block is known; what was said while running may be bettered at the end. */
  const version = (at: number) =>
    [...(s?.states ?? '')].slice(at - (s?.first ?? 0), at - (s?.first ?? 0) + per).filter((c) => c !== '-').length;
  const marks: Record<string, string> = { w: 'weak', l: 'lost', o: 'outside', '-': '' };

  $effect(() => {
    const o = new ResizeObserver(([e]) => (width = e!.contentRect.width));
    o.observe(room!);
    return () => o.disconnect();
  });
  // Dragged along, it scrubs: the frame under the pointer stays under it.
  let grip: { x: number; frame: number; moved: boolean } | undefined;
  function scrub(e: PointerEvent) {
    if (!grip || !(e.buttons & 1)) return;
    const by = Math.round((grip.x - e.clientX) / zoomOf(room!) / cellW);
    if (by) grip.moved = true;
    bench.playhead.seek(Math.min(Math.max(grip.frame + by, first), span.last));
  }
  function choose(f: number) {
    if (!grip?.moved) bench.playhead.seek(f);
    grip = undefined;
  }
  const anchors = $derived(new Set(bench.following.states(bench.selection.cover!)?.anchors));
</script>

<div
  class="grid border-t border-base-300"
  style="grid-template-columns: 200px minmax(0,1fr) 12px;height:{cellH + 18}px"
>
  <div class="flex flex-col items-start gap-1 px-2 pt-1">
    <span class="quiet">Steady strip</span>
    <div class="flex gap-1">
      <button
        class="btn btn-xs {bench.viewport.stripLarge ? 'bg-base-300' : ''}"
        aria-pressed={bench.viewport.stripLarge}
        onclick={() => (bench.viewport.stripLarge = !bench.viewport.stripLarge)}>Larger</button
      >
      <button
        class="btn btn-xs {bench.viewport.stripDiffers ? 'bg-base-300' : ''}"
        aria-pressed={bench.viewport.stripDiffers}
        onclick={() => (bench.viewport.stripDiffers = !bench.viewport.stripDiffers)}>Difference</button
      >
    </div>
  </div>
  <div
    bind:this={room}
    class="relative touch-none overflow-hidden"
    role="group"
    aria-label="Steady strip"
    data-testid="strip"
    onpointerdown={(e) => {
      if (e.button !== 0) return;
      bench.playhead.pause();
      grip = { x: e.clientX, frame: bench.playhead.whole, moved: false };
    }}
    onpointermove={scrub}
    onpointerleave={() => (grip = undefined)}
  >
    <div class="absolute top-0 left-0 h-full" style="width:{frames * cellW}px;transform:translateX({-left}px)">
      {#each blocks as at (at)}
        {#if pictures[at]?.url && pictures[at].of.startsWith(s!.attempt)}
          <img
            src={pictures[at].url}
            alt=""
            class="absolute top-0 max-w-none"
            style="left:{(at - first) * cellW}px;height:{cellH}px;width:{cellW * per}px"
            draggable="false"
          />
        {/if}
        {#each { length: Math.min(per, span.last - at + 1) } as _, i (i)}
          {@const f = at + i}
          {@const c = s?.states[f - s.first] ?? '-'}
          {@const bad = bench.checking.at(bench.selection.cover!.id, f)}
          <button
            class="absolute top-0 flex h-full flex-col justify-end text-[11px] {f === bench.playhead.whole
              ? 'z-10 outline-2 -outline-offset-2 outline-primary'
              : ''}"
            style="left:{(f - first) * cellW}px;width:{cellW - 2}px;height:{cellH + 16}px"
            aria-label="Frame {f}: {anchors.has(f) ? 'anchor' : marks[c] || 'good'}{bad
              .map((x) => `, ${x.title}`)
              .join('')}"
            onclick={() => choose(f)}
          >
            {#if c === 'w'}<span
                class="absolute inset-x-0 top-0 h-[5px]"
                style="background:repeating-linear-gradient(135deg,#262626 0 3px,#c9a24f 3px 6px)"
              ></span>{/if}
            {#if c === 'l'}<span class="absolute inset-x-0 top-0 h-[5px] bg-[#d9573a]"></span>{/if}
            <span class="tc flex justify-between px-1 leading-4"
              ><span class={f === bench.playhead.whole ? 'text-primary' : 'quiet'}>{f}</span><span
                class={c === 'l' ? 'text-error' : c === 'w' ? 'text-warning' : 'quiet'}
                >{anchors.has(f) ? '◆' : c === 'l' ? '! lost' : marks[c]}</span
              ></span
            >
          </button>
          {@const severe = bad.some((x) => x.severity === 'severe')}
          {#if bad.length}<span
              class="pointer-events-none absolute top-0 z-10 max-w-full truncate bg-[#161616]/85 px-1 text-[11px]"
              class:text-[#f0765a]={severe}
              class:text-[#e0bd6b]={!severe}
              style="left:{(f - first) * cellW}px"
              data-testid="strip-finding"
              title={bad.map((x) => x.title).join(', ')}>{severe ? '▼' : '▽'} {bad[0]!.title}</span
            >{/if}
        {/each}
      {/each}
    </div>
  </div>
</div>
