<script lang="ts">
  // The head of a track's or a label's row.
  import Tag from '@lucide/svelte/icons/tag';
  import Waypoints from '@lucide/svelte/icons/waypoints';

  interface Props {
    label?: boolean;
    name: string;
    more: string;
    picked: boolean;
    onclick: () => void;
  }
  let { label = false, name, more, picked, onclick }: Props = $props();
  const head =
    'flex h-[22px] w-full items-center gap-1.5 border-b border-l-4 border-b-base-300 pr-2 pl-1.5 text-left text-[12px]';
  const Icon = $derived(label ? Tag : Waypoints);
</script>

<button
  class="{head} {picked ? 'border-l-primary bg-base-200 text-primary' : 'border-l-transparent hover:bg-base-200'}"
  aria-pressed={picked}
  {onclick}
>
  <Icon size={12} class="shrink-0" />
  <span class="truncate">{name}</span><span class="quiet ml-auto shrink-0">{more}</span>
</button>
