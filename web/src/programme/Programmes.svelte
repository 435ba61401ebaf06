<script lang="ts">
  // All programmes: what each looks like, how far it has come, and what needs eyes.
  import { onMount } from 'svelte';
  import { api, ask, type Summary } from '../api/api';
  import { counted } from '../shared/format';
  import { route } from '../shared/route.svelte';
  import { ended, order, states } from '../shared/states';
  import LookButton from '../shared/LookButton.svelte';
  import WorkButton from '../shared/WorkButton.svelte';
  import StateBar from './StateBar.svelte';

  let list = $state.raw<Summary[]>();
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
  const today = new Date().toISOString().slice(0, 10);

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
  const of = (p: Summary, s: keyof typeof states) => p.states[s] ?? 0;
  const total = (p: Summary) => order.reduce((n, s) => n + of(p, s), 0);
  const done = (p: Summary) => order.filter(ended).reduce((n, s) => n + of(p, s), 0);
  /** What a person should look at, in words. */
  const eyes = (p: Summary) =>
    [
      p.severe && counted(p.severe, 'severe finding', 'severe findings'),
      of(p, 'back') && `${of(p, 'back')} sent back`,
      of(p, 'ready') && `${of(p, 'ready')} to review`,
    ].filter(Boolean);
</script>

<div class="min-h-full">
  <main class="mx-auto flex max-w-5xl flex-col gap-6 px-6 py-5">
    <header class="flex items-center gap-3">
      <h1 class="text-[28px] font-semibold">Programmes</h1>
      <span class="ml-auto flex items-center"><WorkButton /><LookButton /></span>
    </header>
    {#if error}<p class="text-error" role="alert">{error}</p>{/if}
    <ul class="grid grid-cols-[repeat(auto-fill,minmax(280px,1fr))] gap-4">
      {#each list ?? [] as p (p.id)}
        <li>
          <a
            class="flex h-full flex-col border border-base-300 hover:border-base-content"
            href="/programmes/{p.id}"
            onclick={route.follow}
          >
            {#if p.source}<img
                class="aspect-video w-full bg-black object-contain"
                src="/api/sources/{p.source}/views/{p.frame}.jpg?near=true"
                alt=""
                loading="lazy"
              />{:else}<span class="quiet grid aspect-video w-full place-items-center bg-base-200">No picture yet</span
              >{/if}
            <span class="flex flex-1 flex-col gap-2 p-3">
              <span class="flex items-baseline gap-2">
                <span class="truncate text-[15px] font-semibold">{p.name}</span>
                <span class="quiet ml-auto shrink-0 text-[12px]">{new Date(p.created).toLocaleDateString('en-GB')}</span
                >
              </span>
              {#if total(p)}
                <StateBar count={(s) => of(p, s)} />
                <span class="quiet text-[12px]">{done(p)} of {total(p)} done, {counted(p.shots, 'shot', 'shots')}</span>
              {:else}
                <span class="quiet text-[12px]"
                  >{p.shots ? counted(p.shots, 'shot', 'shots') : 'No shots'}, nothing listed</span
                >
              {/if}
              <span class="flex flex-wrap gap-x-3 text-[12px]">
                {#if p.due}<span class={p.due < today ? 'font-semibold text-error' : ''}
                    >{p.due < today ? 'Overdue since' : 'Due'} {p.due}</span
                  >{/if}
                {#each eyes(p) as words (words)}<span class={p.severe ? 'text-error' : ''}>{words}</span>{/each}
              </span>
            </span>
          </a>
        </li>
      {:else}
        <li class="quiet">
          {list ? 'There is no programme yet. Name one below, then bring its master in.' : 'Loading'}
        </li>
      {/each}
    </ul>
    <form class="flex max-w-xl gap-2" onsubmit={add}>
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
</div>
