<script lang="ts">
  import { zoomOf } from './zoom';
  // What a control does and its key, beside it, when the pointer rests on it or the focus
  // comes to it by the keyboard.
  interface Props {
    /** What a control of a name does, and the key that its name ends in. */
    hint: (name: string) => string;
    parted: (name: string) => { name: string; key: string };
  }
  let { hint, parted }: Props = $props();
  const rests = 500; // ms, before what the pointer passes over says something

  let shown = $state<{ says: string; name: string; key: string; x: number; y: number; above: boolean }>();
  const bubble =
    'pointer-events-none fixed inset-auto m-0 flex w-max max-w-[260px] -translate-x-1/2 items-start gap-2 ' +
    'border border-base-300 bg-base-200 px-2 py-1 text-[12px] text-base-content shadow-lg';
  let of: Element | undefined;
  let timer: ReturnType<typeof setTimeout> | undefined;

  const nameOf = (e: HTMLElement) => {
    const labels = (e as HTMLInputElement).labels;
    return (e.getAttribute('aria-label') ?? labels?.[0]?.textContent ?? e.textContent ?? '')
      .replace(/\s+/g, ' ')
      .trim();
  };
  function show(e: HTMLElement) {
    const { name, key } = parted(nameOf(e));
    // A title is shown here instead of by the browser.
    const title = e.getAttribute('title') ?? e.dataset.title;
    if (e.hasAttribute('title')) {
      e.dataset.title = e.getAttribute('title')!;
      e.removeAttribute('title');
    }
    const from = title ? parted(title) : { name: '', key: '' };
    const says = hint(name) || (from.name === name ? '' : from.name);
    const k = key || from.key;
    if (!says && !k) return;
    const r = e.getBoundingClientRect();
    const above = r.bottom + 70 > innerHeight;
    const zoom = zoomOf(e);
    const x = Math.min(Math.max((r.left + r.width / 2) / zoom, 130), innerWidth / zoom - 130);
    shown = { says, name, key: k, x, y: above ? r.top / zoom - 6 : r.bottom / zoom + 6, above };
  }
  const control = (t: EventTarget | null) =>
    (t as Element | null)?.closest?.<HTMLElement>(
      'button, select, input, textarea, summary, a[href], [title], [data-title]',
    );
  function leave() {
    clearTimeout(timer);
    const e = of as HTMLElement | undefined;
    // The title is the browser's again: it may be the control's name.
    if (e?.dataset.title !== undefined) {
      e.setAttribute('title', e.dataset.title);
      delete e.dataset.title;
    }
    of = shown = undefined;
  }
  function over(e: PointerEvent) {
    const c = control(e.target);
    if (c === of) return;
    leave();
    if (!c || e.pointerType === 'touch' || e.buttons) return;
    of = c;
    timer = setTimeout(() => show(c), rests);
  }
  function focus(e: FocusEvent) {
    const c = control(e.target);
    if (!c || !c.matches(':focus-visible')) return;
    leave();
    of = c;
    show(c);
  }
</script>

<svelte:document
  onpointerover={over}
  onpointerdown={leave}
  onfocusin={focus}
  onfocusout={leave}
  onkeydown={(e) => e.key === 'Escape' && (shown = undefined)}
  onscrollcapture={leave}
/>
{#if shown}
  <div
    {@attach (el) => el.showPopover()}
    popover="manual"
    class="{bubble} {shown.above ? '-translate-y-full' : ''}"
    style="left:{shown.x}px;top:{shown.y}px"
    role="tooltip"
    data-testid="hint"
  >
    <span>{shown.says || shown.name}</span>{#if shown.key}<kbd class="kbd shrink-0 kbd-xs">{shown.key}</kbd>{/if}
  </div>
{/if}
