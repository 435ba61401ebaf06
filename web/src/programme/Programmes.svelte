<script lang="ts">
  import { onMount } from 'svelte';
  import { api, ask } from '../api/api';
  import { route } from '../shared/route.svelte';

  let list = $state<{ id: string; name: string; created: string }[]>();
  let name = $state('');
  let error = $state('');

  onMount(async () => {
    try {
      list = await ask(api.GET('/api/programmes'));
    } catch (e) {
      error = (e as Error).message;
    }
  });

  /** A programme that has the name already. */
  const twin = $derived(list?.find((p) => p.name.trim().toLowerCase() === name.trim().toLowerCase()));
  let asked = $state(false);

  async function add(e: Event) {
    e.preventDefault();
    if (twin && !asked) {
      asked = true;
      return;
    }
    try {
      const p = await ask(api.POST('/api/programmes', { body: { name } }));
      route.go(`/programmes/${p.id}`);
    } catch (e) {
      error = (e as Error).message;
    }
  }
</script>

<main class="mx-auto flex max-w-2xl flex-col gap-6 p-8" data-theme="celator-paper" style="min-height:100%">
  <h1 class="text-2xl font-semibold">Programmes</h1>
  {#if error}<p class="text-error" role="alert">{error}</p>{/if}
  <ul class="divide-y divide-base-300 border-y border-base-300">
    {#each list ?? [] as p (p.id)}
      <li>
        <a
          class="flex justify-between px-2 py-3 text-base hover:bg-base-200"
          href="/programmes/{p.id}"
          onclick={route.follow}
        >
          <span>{p.name}</span><span class="quiet">{new Date(p.created).toLocaleDateString('en-GB')}</span>
        </a>
      </li>
    {:else}
      <li class="quiet px-2 py-3">
        {list ? 'There is no programme yet. Name one below, then bring clips in.' : 'Loading'}
      </li>
    {/each}
  </ul>
  <form class="flex gap-2" onsubmit={add}>
    <input
      class="input flex-1"
      aria-label="Name of a new programme"
      placeholder="Name of a new programme"
      bind:value={name}
      oninput={() => (asked = false)}
      required
      maxlength="200"
    />
    <button class="btn btn-primary">Create</button>
  </form>
  {#if asked && twin}
    <div
      class="flex items-center gap-2 border-l-4 border-primary pl-3"
      role="alertdialog"
      aria-label="The name is taken"
    >
      <p class="mr-auto">There is a programme {twin.name} already.</p>
      <a class="btn btn-primary btn-sm" href="/programmes/{twin.id}" onclick={route.follow}>Open it</a>
      <button class="btn btn-sm" onclick={add}>Create a second one</button>
      <button class="btn btn-sm" onclick={() => (asked = false)}>Cancel</button>
    </div>
  {/if}
  <footer class="text-[12px]">
    <a class="quiet underline" href="/notices.txt">Licences of what Celator is built with</a>
  </footer>
</main>
