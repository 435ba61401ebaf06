<script lang="ts">
  // The contact sheet: every frame of the span at one glance, around the selected cover;
  // what the check found is framed. A click goes to the frame.
  import { onMount } from 'svelte';
  import X from '@lucide/svelte/icons/x';
  import type { Bench } from '../bench.svelte';
  import { Pictures } from './pictures.svelte';

  let { bench }: { bench: Bench } = $props();
  /** Frames in one picture of the server, and its form. */
  const per = 20;
  const aspect = 160 / 90;
  const least = 72; // px, of a cell's width: smaller nothing can be judged

  type Mode = 'concealed' | 'clean' | 'steady';
  const modes: [Mode, string][] = [
    ['concealed', 'Concealed'],
    ['clean', 'Clean'],
    ['steady', 'Steady'],
  ];
  let mode = $state<Mode>('concealed');
  let room = $state<HTMLDivElement>();
  let size = $state({ w: 1000, h: 600 });
  let scrolled = $state(0);

  const cover = $derived(bench.selection.target);
  const span = $derived(cover?.span ?? { first: 0, last: bench.shot.last });
  const frames = $derived(span.last - span.first + 1);
  const strip = $derived(bench.following.striped);
  const shown = $derived<Mode>(mode === 'steady' && !strip ? 'concealed' : mode);
  // As large as lets all be seen, but for what would be too small to judge.
  const columns = $derived.by(() => {
    const width = (n: number) => Math.floor(size.w / n);
    const rows = (n: number) => Math.ceil(frames / n);
    let n = 4;
    while (n < 40 && rows(n) * (width(n) / aspect + 2) > size.h && width(n + 1) >= least) n++;
    return n;
  });
  const cellW = $derived(Math.floor(size.w / columns));
  const cellH = $derived(Math.round(cellW / aspect));
  const rowH = $derived(cellH + 2);
  const rows = $derived(Math.ceil(frames / columns));
  const visible = $derived.by(() => {
    const from = Math.max(Math.floor(scrolled / rowH) - 1, 0) * columns;
    const to = Math.min(Math.ceil((scrolled + size.h) / rowH + 1) * columns, frames);
    return Array.from({ length: Math.max(to - from, 0) }, (_, i) => span.first + from + i);
  });

  const address = (at: number) =>
    shown === 'steady'
      ? `/api/attempts/${strip!.attempt}/strip/${at}?known=sheet`
      : `/api/shots/${bench.shot.id}/sheets/${bench.session.shown}/${at}?item=${bench.selection.itemId}` +
        (shown === 'clean' ? '&before=1' : '');
  const chunk = (f: number) => span.first + Math.floor((f - span.first) / per) * per;
  const pictures = new Pictures();
  $effect(() => {
    const at = bench.playhead.whole;
    const wanted = [...new Set(visible.map(chunk))].sort((a, b) => Math.abs(a - at) - Math.abs(b - at));
    pictures.want(wanted.map(address));
  });
  onMount(() => {
    const o = new ResizeObserver(([e]) => (size = { w: e!.contentRect.width, h: e!.contentRect.height }));
    o.observe(room!);
    room!.focus();
    return () => (o.disconnect(), pictures.close());
  });

  const found = (f: number) => (cover ? bench.checking.at(cover.id, f) : []);
  const close = () => (bench.viewport.sheet = false);
  function go(f: number) {
    bench.playhead.pause();
    bench.playhead.seek(f);
    close();
  }
  /** The arrow keys walk over the sheet, Enter goes to the frame in hand. */
  function key(e: KeyboardEvent) {
    const step = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -columns, ArrowDown: columns }[e.key];
    if (step) {
      const f = Math.min(Math.max(bench.playhead.whole + step, span.first), span.last);
      bench.playhead.pause();
      bench.playhead.seek(f);
      const top = Math.floor((f - span.first) / columns) * rowH;
      if (top < room!.scrollTop) room!.scrollTop = top;
      if (top + rowH > room!.scrollTop + size.h) room!.scrollTop = top + rowH - size.h;
    } else if (e.key === 'Enter') close();
    else return;
    e.preventDefault();
    e.stopPropagation();
  }
</script>

<section
  class="z-20 col-start-1 col-end-3 row-start-2 flex min-h-0 min-w-0 flex-col bg-[#141414]"
  data-theme="celator"
  aria-label="Contact sheet"
  data-testid="sheet"
>
  <header class="flex items-center gap-3 border-b border-base-300 px-2 py-1">
    <h2 class="font-medium">{cover?.name ?? 'The shot'}, f {span.first}–{span.last}</h2>
    <div class="join" role="group" aria-label="What the sheet shows">
      {#each modes as [m, name] (m)}
        <button
          class="btn join-item btn-xs {shown === m ? 'bg-base-300' : ''}"
          aria-pressed={shown === m}
          disabled={m === 'steady' && !strip}
          title={m === 'steady' && !strip ? 'It rides on no track' : ''}
          onclick={() => (mode = m)}>{name}</button
        >
      {/each}
    </div>
    <span class="quiet text-[12px]">A click goes to the frame.</span>
    <button
      class="btn ml-auto btn-square btn-ghost btn-xs"
      aria-label="Close the contact sheet (0)"
      title="Close (0)"
      onclick={close}><X size={14} /></button
    >
  </header>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
  <div
    bind:this={room}
    class="relative min-h-0 flex-1 overflow-x-hidden overflow-y-auto outline-none"
    role="group"
    aria-label="Frames"
    tabindex="0"
    onscroll={(e) => (scrolled = e.currentTarget.scrollTop)}
    onkeydown={key}
  >
    <div style="height:{rows * rowH}px"></div>
    {#each visible as f (f)}
      {@const i = f - span.first}
      {@const url = pictures.urls[address(chunk(f))]}
      {@const bad = found(f)}
      {@const severe = bad.some((x) => x.severity === 'severe')}
      {@const edge = severe ? '#e8684a' : bad.length ? '#e0bd6b' : f === bench.playhead.whole ? '#f2f2f2' : ''}
      <button
        class="absolute overflow-hidden"
        style="left:{(i % columns) * cellW}px;top:{Math.floor(i / columns) * rowH}px;width:{cellW -
          2}px;height:{cellH}px"
        tabindex="-1"
        aria-label="Frame {f}{bad.map((x) => `, ${x.title}`).join('')}"
        data-testid="sheet-cell"
        data-ready={!!url}
        onclick={() => go(f)}
      >
        <span
          class="block w-full bg-black"
          style="height:{cellH}px;{url
            ? `background:url(${url}) ${-((i % per) * cellW)}px 0/${per * cellW}px ${cellH}px`
            : ''};{edge ? `outline:2px solid ${edge};outline-offset:-2px` : ''}"
        ></span>
        <span
          class="tc absolute bottom-0 left-0 bg-[#141414]/80 px-0.5 text-[11px] leading-[13px] {severe
            ? 'text-error'
            : f === bench.playhead.whole
              ? 'text-primary'
              : 'text-[#d8d8d8]'}">{f}{bad.length ? (severe ? ' ▼' : ' ▽') : ''}</span
        >
      </button>
    {/each}
  </div>
</section>
