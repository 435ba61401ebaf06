<script lang="ts">
  // Changes between the dark and the light look of pages like this one.
  import Moon from '@lucide/svelte/icons/moon';
  import Sun from '@lucide/svelte/icons/sun';
  import { look } from './look.svelte';

  const Icon = $derived(look.shade === 'dark' ? Sun : Moon);
</script>

<button
  class="btn btn-square btn-ghost btn-xs"
  aria-label={look.shade === 'dark' ? 'Light look' : 'Dark look'}
  title={look.shade === 'dark' ? 'Light look' : 'Dark look'}
  onclick={look.change}><Icon size={15} /></button
>
