<script lang="ts">
  // A number with its unit: typed, or stepped by the arrow keys (Shift for ten).
  let {
    label,
    unit = '',
    value,
    step = 1,
    digits = 1,
    min = -Infinity,
    max = Infinity,
    onchange,
  }: { label: string; unit?: string; value: number; step?: number; digits?: number; min?: number; max?: number; onchange: (v: number) => void } = $props();

  function commit(text: string, input: HTMLInputElement) {
    const v = Number(text.replace(',', '.'));
    if (text.trim() === '' || !Number.isFinite(v)) {
      input.value = value.toFixed(digits);
      return;
    }
    const c = Math.min(Math.max(v, min), max);
    input.value = c.toFixed(digits);
    if (Math.abs(c - value) > 1e-9) onchange(c);
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
      commit(String(value + (e.key === 'ArrowUp' ? 1 : -1) * step * (e.shiftKey ? 10 : 1)), input);
    }
  }
</script>

<label class="flex items-center justify-between gap-1">
  <span class="quiet">{label}</span>
  <span class="flex items-center gap-1">
    <input class="input input-xs tc w-[68px] text-right" aria-label={label} value={value.toFixed(digits)} onblur={(e) => commit(e.currentTarget.value, e.currentTarget)} onkeydown={key} />
    <span class="quiet w-4 text-[12px]">{unit}</span>
  </span>
</label>
