<script lang="ts">
  // A programme that is new: three sentences that are buttons, one after another.
  import { route } from '../shared/route.svelte';

  interface Props {
    shots: { id: string }[];
    ready: (shot: string) => boolean;
    items: number;
    covered: boolean;
    onmaster: () => void;
    onlist: () => void;
  }
  let { shots, ready, items, covered, onmaster, onlist }: Props = $props();
  const first = $derived(shots.find((s) => ready(s.id)));
  const steps = $derived([
    {
      done: shots.length > 0,
      says: 'Bring in the master, or the clips that must be cleared.',
      run: onmaster,
      can: true,
    },
    { done: items > 0, says: 'Import the clearance list, or enter its items one by one.', run: onlist, can: true },
    {
      done: covered,
      says: 'Open the first shot and draw the first cover over what must be hidden.',
      run: () => first && route.go(`/shots/${first.id}?guide=1`),
      can: !!first,
    },
  ]);
  const next = $derived(steps.findIndex((s) => !s.done));
</script>

{#if next >= 0}
  <ol class="grid grid-cols-1 gap-2 md:grid-cols-3" aria-label="First steps" data-testid="first-steps">
    {#each steps as s, i (i)}
      <li>
        <button
          class="flex h-full w-full items-baseline gap-3 border px-3 py-3 text-left text-[15px] {i === next
            ? 'border-2 border-primary'
            : 'border-base-300'} {s.done ? 'quiet' : ''} disabled:cursor-not-allowed"
          disabled={!s.can || s.done}
          onclick={s.run}
        >
          <span class="text-[20px] leading-none font-semibold" aria-hidden="true">{s.done ? '✓' : i + 1}</span>
          <span>{s.says}{s.done ? ' Done.' : ''}</span>
        </button>
      </li>
    {/each}
  </ol>
{/if}
