<script lang="ts">
  // A number with its unit: typed or reckoned (+4, *1.1, 1920/2), stepped by the arrow keys
  // or dragged on its label (Shift for ten, Ctrl for a tenth). Where it can be keyed, a
  // button shows whether it is, and adds or removes its key at this frame; Enter on a number
  // that stays as it is keys it too.
  import Diamond from '@lucide/svelte/icons/diamond';
  import type { KeyState } from '../bench/keying.svelte';
  import { reckon } from './reckon';

  interface Props {
    label: string;
    short?: string; // shown instead of the label
    unit?: string;
    value: number;
    step?: number;
    digits?: number;
    min?: number;
    max?: number;
    keyed?: KeyState;
    disabled?: boolean;
    onkey?: () => void;
    /** A new number; done where it is not one of several that are typed one after another. */
    onchange: (v: number, done: boolean) => void;
    /** A number while it is dragged. */
    ondrag?: (v: number) => void;
    /** Enter on a number that stays as it is. */
    onconfirm?: () => void;
    /** Escape. */
    oncancel?: () => void;
  }
  let {
    label,
    short,
    unit = '',
    value,
    step = 1,
    digits = 1,
    min = -Infinity,
    max = Infinity,
    keyed,
    disabled = false,
    onkey,
    onchange,
    ondrag,
    onconfirm = () => keyed && keyed !== 'here' && onkey?.(),
    oncancel,
  }: Props = $props();

  const within = (v: number) => Math.min(Math.max(v, min), max);
  const factor = (e: { shiftKey: boolean; ctrlKey: boolean }) => step * (e.shiftKey ? 10 : e.ctrlKey ? 0.1 : 1);

  /** Takes what is typed; false where it is no number, or the one that is there. */
  function commit(text: string, input: HTMLInputElement, done: boolean): boolean {
    const v = reckon(text, value, min < 0);
    const c = v === undefined ? value : within(v);
    input.value = c.toFixed(digits);
    if (c.toFixed(digits) === value.toFixed(digits)) return false;
    onchange(c, done);
    return true;
  }
  let entered = false;
  function key(e: KeyboardEvent) {
    const input = e.currentTarget as HTMLInputElement;
    if (e.key === 'Enter') {
      if (!commit(input.value, input, true)) onconfirm();
      entered = true;
      input.blur();
    }
    if (e.key === 'Escape') {
      oncancel?.();
      entered = true;
      input.value = value.toFixed(digits);
      input.blur();
    }
    if (e.key === 'ArrowUp' || e.key === 'ArrowDown') {
      e.preventDefault();
      commit(String(value + (e.key === 'ArrowUp' ? 1 : -1) * factor(e)), input, false);
    }
  }

  // Pixels of a drag to one step.
  const perStep = 3;
  let drag: { x: number; at: number; moved: boolean } | undefined;
  function down(e: PointerEvent) {
    if (disabled || e.button !== 0) return;
    (e.currentTarget as Element).setPointerCapture(e.pointerId);
    drag = { x: e.clientX, at: value, moved: false };
  }
  function move(e: PointerEvent) {
    if (!drag) return;
    const steps = Math.trunc((e.clientX - drag.x) / perStep);
    if (steps === 0) return;
    drag = { x: drag.x + steps * perStep, at: within(drag.at + steps * factor(e)), moved: true };
    ondrag?.(drag.at);
  }
  function up(e: PointerEvent) {
    const d = drag;
    drag = undefined;
    if (!d?.moved) return;
    e.preventDefault();
    onchange(Number(d.at.toFixed(Math.max(digits, 2))), true);
  }
  const said = { none: 'not keyed', keyed: 'keyed, no key here', here: 'key here' };
</script>

<div class="flex min-w-0 items-center justify-between gap-1">
  <label class="flex min-w-0 flex-1 items-center justify-between gap-1">
    <span
      class="quiet cursor-ew-resize touch-none truncate select-none"
      title="{label}: drag to change; or type +4, *1.1, 1920/2"
      role="presentation"
      onpointerdown={down}
      onpointermove={move}
      onpointerup={up}
      onpointercancel={() => (drag = undefined)}>{short ?? label}</span
    >
    <input
      class="tc input text-right input-xs {short ? 'w-[58px] px-1' : 'w-[66px]'}"
      aria-label={label}
      {disabled}
      value={value.toFixed(digits)}
      onfocus={(e) => ((entered = false), e.currentTarget.select())}
      onblur={(e) => entered || commit(e.currentTarget.value, e.currentTarget, false)}
      onkeydown={key}
    />
  </label>
  {#if !short || unit}<span class="quiet w-4 text-[12px]">{unit}</span>{/if}
  {#if keyed && onkey}
    <button
      type="button"
      class="grid h-5 w-4 place-items-center"
      {disabled}
      aria-label="{label}: {said[keyed]}; {keyed === 'here' ? 'remove the key' : 'key it here'}"
      onclick={onkey}
    >
      <Diamond
        size={11}
        class={keyed === 'none' ? 'quiet' : 'text-primary'}
        strokeWidth={keyed === 'none' ? 1.5 : 2.5}
        fill={keyed === 'here' ? 'currentColor' : 'none'}
      />
    </button>
  {/if}
</div>
