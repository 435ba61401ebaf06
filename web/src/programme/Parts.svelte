<script lang="ts">
  // How far the parts of a delivery are, side by side in their order; many are drawn together.
  import { api, ask, type Delivery, type Part } from '../api/api';
  import { counted } from '../shared/format';

  let { d }: { d: Delivery } = $props();
  let parts = $state.raw<Part[]>([]);
  /** The most that are drawn by themselves. */
  const most = 120;
  $effect(() => {
    void [d.rendered, d.state]; // asked for again when there is more
    ask(api.GET('/api/deliveries/{id}/parts', { params: { path: { id: d.id } } }))
      .then((p) => (parts = p))
      .catch(() => {});
  });
  const together = $derived(Math.ceil(parts.length / most) || 1);
  const cells = $derived(
    Array.from({ length: Math.ceil(parts.length / together) }, (_, i) => {
      const some = parts.slice(i * together, (i + 1) * together);
      const frames = some.reduce((n, p) => n + p.last - p.first + 1, 0);
      return { frames, done: some.reduce((n, p) => n + p.done, 0) / frames };
    }),
  );
  const finished = $derived(parts.filter((p) => p.finished).length);
</script>

{#if parts.length > 1}
  <div class="flex items-center gap-3" data-testid="parts">
    <div class="flex h-2 flex-1 gap-px" role="img" aria-label="{finished} of {parts.length} parts are rendered">
      {#each cells as c, i (i)}
        <span class="relative bg-base-300" style:flex="{c.frames} 1 0">
          <span class="absolute inset-y-0 left-0 bg-success" style:width="{100 * c.done}%"></span>
        </span>
      {/each}
    </div>
    <span class="tc quiet">{finished} of {counted(parts.length, 'part', 'parts')}</span>
  </div>
{/if}
