<script lang="ts">
  import Clipboard from '@lucide/svelte/icons/clipboard';
  import ClipboardList from '@lucide/svelte/icons/clipboard-list';
  import Copy from '@lucide/svelte/icons/copy';
  import Trash2 from '@lucide/svelte/icons/trash-2';
  import type { Ease } from '../../api/api';
  import type { Keying } from '../keying.svelte';
  import type { Looked } from '../looked.svelte';
  import type { Playhead } from '../playhead.svelte';
  import type { Selection } from '../selection.svelte';
  import type { EditingSession } from '../session.svelte';
  import type { OpenShot } from '../shot.svelte';
  import type { Viewport } from '../viewport.svelte';
  import { core } from '../../core/core';
  import Onward from '../Onward.svelte';
  import TrackCard from './TrackCard.svelte';

  import type { Following } from './following.svelte';

  import type { Notice } from '../notice.svelte';

  import type { Outlining } from '../outline/outlining.svelte';

  import type { Toolbox } from '../toolbox.svelte';

  interface Props {
    toolbox: Toolbox;
    outlining: Outlining;
    notice: Notice;
    following: Following;
    keying: Keying;
    looked: Looked;
    playhead: Playhead;
    selection: Selection;
    session: EditingSession;
    shot: OpenShot;
    viewport: Viewport;
  }
  let { toolbox, outlining, notice, following, keying, looked, playhead, selection, session, shot, viewport }: Props =
    $props();
  const cover = $derived(selection.cover!);
  const row = $derived(session.rows.get(cover.id));
  const stays = 'It is kept, and counts where the cover moves towards it.';
  const seen = $derived(looked.frames[cover.id]?.length ?? 0);
  const frames = $derived(cover.span.last - cover.span.first + 1);
  const eases: [Ease, string][] = [
    ['', 'Even'],
    ['held', 'Held'],
    ['eased', 'Eased'],
  ];
  const easeAt = (f: number) => {
    const l = row?.lanes.find((l) => l.frames.includes(f));
    return l ? l.eases[l.frames.indexOf(f)] : '';
  };
  const what = (f: number) => {
    const on = row?.lanes.filter((l) => l.frames.includes(f)).map((l) => l.name) ?? [];
    const words = [
      on.includes('placement') && 'place',
      on.some((n) => n.startsWith('outline/')) && 'shape',
      on.some((n) => n !== 'placement' && !n.startsWith('outline/')) && 'numbers',
    ];
    return words.filter(Boolean).join(', ');
  };
  const chosen = $derived(keying.chosen);
  function pick(e: MouseEvent, f: number) {
    if (e.shiftKey || e.ctrlKey)
      keying.picked = keying.picked.includes(f) ? keying.picked.filter((p) => p !== f) : [...keying.picked, f];
    else {
      keying.picked = [];
      playhead.seek(f);
    }
  }
</script>

{#snippet tool(name: string, key: string, Icon: typeof Copy, disabled: boolean, run: () => void)}
  <button class="btn btn-xs" aria-label="{name} ({key})" {disabled} onclick={run}><Icon size={13} /></button>
{/snippet}

{#if shot.last === 0}
  <p class="quiet text-[12px]">A still picture needs no motion.</p>
{:else}
  <TrackCard {following} {keying} {notice} {outlining} {playhead} {selection} {session} {toolbox} />
  <hr class="border-base-300" />
  {#if !cover.track}<h2 class="font-medium">By hand</h2>
    <p class="quiet text-[12px]">Fit the cover where it slips: the ends of the span, then by halves.</p>
    <Onward {keying} />{/if}
  <button class="btn btn-xs" disabled={!looked.unseen} onclick={() => looked.confirm()}>
    {looked.next === undefined
      ? looked.unseen
        ? 'It fits (Enter)'
        : 'All looked at'
      : `It fits: on to f ${looked.next} (Enter)`}
  </button>
  <div class="flex items-baseline justify-between gap-2">
    <p class="quiet text-[12px]" data-testid="looked">
      Looked at since the last change: {seen} of {frames}{#if looked.unseen}, most to look at: f {looked
          .unseen[0]}–{looked.unseen[1]}{/if}
    </p>
    <label class="flex shrink-0 items-center gap-1 text-[12px]"
      ><span>Path</span><input
        type="checkbox"
        class="toggle toggle-xs"
        aria-label="Path of the centre"
        bind:checked={viewport.course}
      /></label
    >
  </div>
  <hr class="border-base-300" />
  <p class="quiet text-[12px]" data-testid="between">{keying.between}</p>
  {#if row?.outside}<p class="text-[12px] text-warning">
      {row.outside === 1 ? 'One key lies' : `${row.outside} keys lie`} outside the span.
      {stays}
    </p>{/if}
  {#if !keying.keys.includes(selection.here)}
    <div class="grid grid-cols-2 gap-1">
      <button
        class="btn btn-xs"
        disabled={!selection.state?.inside || cover.locked}
        onclick={() => keying.toggle('placement')}>Add a key (Y)</button
      >
      <button
        class="btn btn-xs"
        disabled={!selection.state?.inside || cover.locked || !keying.keys.some((k) => k < selection.here)}
        title="Place and shape rest from the key before up to f {selection.here}: before a movement (Shift+Y)"
        onclick={() => keying.hold()}>Hold to here</button
      >
    </div>
  {/if}
  {#if chosen.length}
    {#if chosen.length > 1}<span class="quiet text-[12px]">{chosen.length} keys picked, from there on</span>{/if}
    <div class="join grid grid-cols-3" role="group" aria-label="How the key goes on">
      {#each eases as [e, t] (e)}
        <button
          class="btn join-item px-0 btn-xs {chosen.every((f) => easeAt(f) === e) ? 'bg-base-300' : ''}"
          disabled={cover.locked}
          aria-pressed={chosen.every((f) => easeAt(f) === e)}
          onclick={() => keying.ease(e)}>{t}</button
        >
      {/each}
    </div>
  {/if}
  <div class="grid grid-cols-4 gap-1" role="group" aria-label="Keys, copied and removed">
    {@render tool('Copy', 'Ctrl+C', Copy, false, () => keying.copy())}
    {@render tool('Paste', 'Ctrl+V', Clipboard, !keying.copied.length || !!cover.locked, () => keying.paste())}
    {@render tool(
      'Paste onto all keys',
      'Ctrl+Shift+V',
      ClipboardList,
      !keying.copied.length || keying.copied.some((k) => k.offset) || !!cover.locked,
      () => keying.paste(true),
    )}
    {@render tool('Remove', 'Del', Trash2, !!cover.locked || !chosen.length, () => keying.remove())}
  </div>
  <ol class="max-h-20 divide-y divide-base-300 overflow-auto border border-base-300" aria-label="Keys">
    {#each keying.keys as k (k)}
      <li>
        <button
          {@attach (el) => {
            const list = el.closest('ol')!;
            if (k === selection.here) list.scrollTop = el.offsetTop - list.offsetTop - 60;
          }}
          class="flex w-full gap-2 px-1.5 py-0.5 text-[12px] {chosen.includes(k) ? 'bg-base-300' : 'hover:bg-base-200'}"
          aria-pressed={keying.picked.includes(k)}
          onclick={(e) => pick(e, k)}
          title={core.timecode({ frame: k })}
        >
          <span class="tc">f {k}</span><span class="quiet ml-auto">{what(k)}{easeAt(k) ? `, ${easeAt(k)}` : ''}</span>
        </button>
      </li>
    {/each}
  </ol>
{/if}
