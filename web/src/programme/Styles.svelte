<script lang="ts">
  // The house styles of a programme: which kinds of item get which, and where they are
  // given. What a style looks like is changed on the bench, on a cover.
  import { onMount } from 'svelte';
  import { api, ask, type Style } from '../api/api';
  import { counted } from '../shared/format';
  import { core, loadCore } from '../core/core';
  import { kinds } from '../shared/format';

  let { programme }: { programme: string } = $props();
  let styles = $state.raw<Style[]>([]);
  let said = $state('');
  let failed = $state('');
  onMount(() => void attempt(load));

  async function load() {
    const all = await ask(api.GET('/api/programmes/{id}/styles', { params: { path: { id: programme } } }));
    if (all.length) await loadCore(); // which knows what treatments are called
    styles = all;
  }
  /** One after another: a style is given as it was changed just before. */
  let before: Promise<void> = Promise.resolve();
  function attempt(f: () => Promise<void>): Promise<void> {
    return (before = before.then(f).then(
      () => void (failed = ''),
      (e) => void (failed = (e as Error).message),
    ));
  }
  const save = (s: Style, change: Partial<Style>) =>
    attempt(async () => {
      await ask(
        api.PUT('/api/styles/{id}', {
          params: { path: { id: s.id } },
          body: { name: s.name, kinds: s.kinds, style: s.style, ...change },
        }),
      );
      await load();
    });
  const apply = (s: Style) =>
    attempt(async () => {
      const d = await ask(api.POST('/api/styles/{id}/apply', { params: { path: { id: s.id } } }));
      said = d.covers
        ? `${s.name}: ${counted(d.covers, 'cover', 'covers')} changed in ${counted(d.shots, 'shot', 'shots')}.`
        : `${s.name}: every cover of its kinds has it already, or is locked.`;
    });
  const remove = (s: Style) =>
    attempt(async () => {
      if (!confirm(`Remove the house style ${s.name}? Covers keep what they have.`)) return;
      await ask(api.DELETE('/api/styles/{id}', { params: { path: { id: s.id } } }));
      await load();
    });
  const words = (s: Style) =>
    s.style.treatments
      .filter((t) => !t.off)
      .map((t) => core.kinds().find((k) => k.kind === t.kind)?.title)
      .join(', then ');
</script>

{#if styles.length}
  <section class="flex flex-col gap-2" data-testid="styles">
    <h2 class="text-lg font-semibold">House styles</h2>
    {#if failed}<p class="text-error" role="alert">{failed}</p>{/if}
    {#if said}<p role="status">{said}</p>{/if}
    <table class="table border border-base-300 table-sm">
      <thead
        ><tr><th>Name</th><th>Conceals by</th><th>For every new</th><th><span class="sr-only">Actions</span></th></tr
        ></thead
      >
      <tbody>
        {#each styles as s (s.id)}
          <tr>
            <td
              ><input
                class="input w-40 input-xs"
                aria-label="Name of {s.name}"
                value={s.name}
                maxlength="120"
                onchange={(e) => void save(s, { name: e.currentTarget.value })}
              /></td
            >
            <td>{words(s)}</td>
            <td>
              <div class="flex flex-wrap gap-x-3">
                {#each Object.entries(kinds) as [k, t] (k)}
                  <label class="flex items-center gap-1"
                    ><input
                      type="checkbox"
                      class="checkbox checkbox-xs"
                      aria-label="{s.name} for {t}"
                      checked={s.kinds.includes(k)}
                      onchange={(e) =>
                        void save(s, {
                          kinds: e.currentTarget.checked ? [...s.kinds, k] : s.kinds.filter((x) => x !== k),
                        })}
                    />
                    {t}</label
                  >
                {/each}
              </div>
            </td>
            <td class="whitespace-nowrap">
              <button class="btn btn-xs" disabled={!s.kinds.length} onclick={() => void apply(s)}
                >Give to all of these</button
              >
              <button class="btn btn-xs" onclick={() => void remove(s)}>Remove</button>
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </section>
{/if}
