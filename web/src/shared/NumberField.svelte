<script lang="ts">
  // A number with its unit: typed, or stepped by the arrow keys (Shift for ten,
  // Ctrl for a tenth). Where it can be keyed, a button shows whether it is, and
  // adds or removes its key at this frame.
  import Diamond from '@lucide/svelte/icons/diamond';
  import type { KeyState } from '../bench/keying.svelte';

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
    onchange: (v: number) => void;
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
  }: Props = $props();

  function commit(text: string, input: HTMLInputElement) {
    const v = Number(text.replace(',', '.'));
    if (text.trim() === '' || !Number.isFinite(v)) {
      input.value = value.toFixed(digits);
      return;
    }
    const c = Math.min(Math.max(v, min), max);
    input.value = c.toFixed(digits);
    if (c.toFixed(digits) !== value.toFixed(digits)) onchange(c);
  }
  function key(e: KeyboardEvent) {
    const input = e.currentTarget as HTMLInputElement;
    if (e.key === 'Enter') input.blur();
    if (e.key === 'Escape') {
      input.value = value.toFixed(digits);
      input.blur();
    }
    if (e.key === 'ArrowUp' || e.key === 'ArrowDown') {
      e.preventDefault();
      const by = step * (e.shiftKey ? 10 : e.ctrlKey ? 0.1 : 1);
      commit(String(value + (e.key === 'ArrowUp' ? by : -by)), input);
    }
  }
  const said = { none: 'not keyed', keyed: 'keyed, no key here', here: 'key here' };
</script>

<div class="flex min-w-0 items-center justify-between gap-1">
  <label class="flex min-w-0 flex-1 items-center justify-between gap-1">
    <span class="quiet truncate">{short ?? label}</span>
    <input
      class="tc input text-right input-xs {short ? 'w-[54px] px-1' : 'w-[62px]'}"
      aria-label={label}
      {disabled}
      value={value.toFixed(digits)}
      onblur={(e) => commit(e.currentTarget.value, e.currentTarget)}
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
        class={keyed === 'none' ? 'text-[#8a8a8a]' : 'text-primary'}
        strokeWidth={keyed === 'none' ? 1.5 : 2.5}
        fill={keyed === 'here' ? 'currentColor' : 'none'}
      />
    </button>
  {/if}
</div>
