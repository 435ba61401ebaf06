<script lang="ts">
  import { onMount } from 'svelte';
  import { api, ask, type Delivery, type Handover } from '../api/api';
  import Parts from './Parts.svelte';
  import { bytes, counted, duration } from '../shared/format';

  let { list, shots = [] }: { list: Delivery[]; shots?: { id: string; name: string }[] } = $props();
  let error = $state('');
  let intakes = $state.raw<string[]>([]);
  let intake = $state('');

  onMount(async () => {
    intakes = (await ask(api.GET('/api/intakes')).catch(() => [])).map((i) => i.name);
    intake = intakes[0] ?? '';
  });

  const going = (d: Delivery) => ['queued', 'rendering', 'joining', 'verifying', 'paused'].includes(d.state);
  const handing = (h: Handover) => h.state === 'queued' || h.state === 'sending';
  const handed = (h: Handover, d: Delivery): string => {
    if (handing(h) && h.waiting) return h.waiting;
    switch (h.state) {
      case 'queued':
        return 'waits for its turn';
      case 'sending':
        return h.sent < d.size ? `${bytes(h.sent)} of ${bytes(d.size)} sent` : 'sent; the intake checks it';
      case 'acknowledged':
        return `acknowledged on ${new Date(h.finished!).toLocaleString('en-GB')}, with the file’s checksum`;
      case 'cancelled':
        return 'stopped';
      default:
        return h.reason;
    }
  };
  const said = (d: Delivery): string => {
    if (going(d) && d.waiting) return d.waiting;
    switch (d.state) {
      case 'queued':
        return 'waiting for its turn';
      case 'paused':
        return `paused at ${d.rendered} of ${d.frames} frames`;
      case 'rendering':
        return (
          `${d.rendered} of ${d.frames} frames` +
          (d.rate > 0 ? `, ${d.rate.toFixed(1)} a second, ${duration(d.left)} left` : '')
        );
      case 'joining':
        return 'joining the segments';
      case 'verifying':
        return d.preset === 'archive' ? `verifying, ${d.verified} of ${d.frames} frames compared` : 'verifying';
      case 'done':
        if (d.proof?.off !== undefined)
          return `${bytes(d.size)}, outside the covers at most ${d.proof.off} of 256 codes from the source`;
        if (d.matte)
          return d.proof?.compared
            ? `${bytes(d.size)}, the covers' own matte in all ${d.proof.compared} frames`
            : `${bytes(d.size)}, a matte of ${d.proof?.frames} frames`;
        return (
          (d.proof?.compared
            ? `${bytes(d.size)}, every sample outside the covers equals the source's in all ${d.proof.compared} frames`
            : d.proof?.copied
              ? `${bytes(d.size)}, ${d.proof.copied} of ${d.proof.frames} pictures the source’s own, to the byte` +
                (d.proof.alike ? `, the others at least ${d.proof.alike} dB like it beside the covers` : '')
              : d.proof?.anew
                ? `${bytes(d.size)}, all pictures coded anew` +
                  (d.proof.alike ? `, at least ${d.proof.alike} dB like the source beside the covers` : '') +
                  `: ${d.proof.anew}`
                : d.proof?.frames
                  ? `${bytes(d.size)}, ${d.proof.frames} frames, duration and sound verified`
                  : `${bytes(d.size)}, ${d.proof?.sound} sound tracks`) +
          (d.proof?.samples
            ? `, every sample of sound as well${d.proof.passages ? ' outside of the passages' : ''}`
            : '') +
          (d.proof?.passages ? `; ${d.proof.passages} in the sound listened for and not heard` : '') +
          (d.proof?.damage?.length ? `; of a damaged source, with ${d.proof.damage.join('; ')}` : '') +
          (d.proof?.left?.length ? `; not carried: ${d.proof.left.join(', ')}` : '')
        );
      case 'cancelled':
        return `cancelled at ${d.rendered} of ${d.frames} frames; finished segments are kept for the next delivery`;
      default:
        return d.error;
    }
  };

  async function doing(what: Promise<unknown>) {
    try {
      await what;
      error = '';
    } catch (e) {
      error = (e as Error).message;
    }
  }
  const at = (id: string) => ({ params: { path: { id } } });
  const cancel = (d: Delivery) => doing(ask(api.POST('/api/deliveries/{id}/cancel', at(d.id))));
  const pause = (d: Delivery) => doing(ask(api.POST('/api/deliveries/{id}/pause', at(d.id))));
  const resume = (d: Delivery) => doing(ask(api.POST('/api/deliveries/{id}/resume', at(d.id))));
  const prefer = (d: Delivery, priority: number) =>
    doing(ask(api.PUT('/api/deliveries/{id}/priority', { ...at(d.id), body: { priority } })));
  const hand = (d: Delivery) =>
    doing(ask(api.POST('/api/deliveries/{id}/handovers', { ...at(d.id), body: { intake } })));
  const keep = (h: Handover) => doing(ask(api.POST('/api/handovers/{id}/cancel', at(h.id))));
</script>

{#if error}<p class="text-error" role="alert">{error}</p>{/if}
<ul class="divide-y divide-base-300 border border-base-300">
  {#each list as d (d.id)}
    <li class="flex flex-col gap-1 px-3 py-2" data-testid="delivery" data-state={d.state}>
      <div class="flex items-baseline gap-3">
        <span class="font-semibold">{d.name}</span>
        <span class="quiet"
          >{shots.find((s) => s.id === d.shot)?.name ?? ''}
          {d.preset}{d.matte ? ', matte' : ''}, f {d.first}–{d.first + d.frames - 1}, {d.shot
            ? `revision ${d.revision}`
            : counted(d.shots, 'shot', 'shots')}</span
        >
        {#if going(d)}
          <select
            class="select ml-auto w-32 select-xs"
            aria-label="When {d.name} is rendered"
            value={d.priority}
            onchange={(e) => prefer(d, Number(e.currentTarget.value))}
          >
            <option value={1}>Before others</option>
            <option value={2}>In its turn</option>
            <option value={3}>After others</option>
          </select>
          {#if d.state === 'paused'}
            <button class="btn btn-xs" onclick={() => resume(d)}>Go on</button>
          {:else}
            <button class="btn btn-xs" onclick={() => pause(d)}>Pause</button>
          {/if}
          <button class="btn btn-xs" onclick={() => cancel(d)}>Cancel</button>
        {:else if d.state === 'done'}
          {#if intakes.length}
            <span class="ml-auto flex items-center gap-1">
              <button class="btn btn-xs" disabled={d.handovers.some(handing)} onclick={() => hand(d)}
                >Hand over{intakes.length === 1 ? ` to ${intake}` : ' to'}</button
              >
              {#if intakes.length > 1}
                <select class="select w-40 select-xs" aria-label="Intake for {d.name}" bind:value={intake}>
                  {#each intakes as name (name)}<option>{name}</option>{/each}
                </select>
              {/if}
            </span>
          {/if}
          {#if !d.shot && !d.reel}<a
              class="btn {intakes.length ? '' : 'ml-auto'} btn-xs"
              href="/api/deliveries/{d.id}/certificate"
              download="{d.name}.certificate.json"
              title="Signed: what is in the file, in which state it was, and who decided. celator verify checks it"
              >Certificate</a
            >{/if}
          <a
            class="btn {(d.shot || d.reel) && !intakes.length ? 'ml-auto' : ''} btn-primary btn-xs"
            href="/api/deliveries/{d.id}/file"
            download={d.name}>Download</a
          >{/if}
      </div>
      {#if going(d)}<progress
          class="progress progress-primary"
          value={d.state === 'verifying' ? d.verified : d.rendered}
          max={d.frames}
          aria-label="Progress of {d.name}"
        ></progress>
        {#if d.state === 'queued' || d.state === 'rendering' || d.state === 'paused'}<Parts {d} />{/if}
      {/if}
      <span class={d.state === 'failed' ? 'text-error' : 'quiet'}
        >{d.state === 'done' ? 'Verified: ' : ''}{said(d)}</span
      >
      {#each d.handovers as h (h.id)}
        <div class="flex items-baseline gap-3" data-testid="handover" data-state={h.state}>
          <span class={h.state === 'refused' || h.state === 'failed' ? 'text-error' : ''}
            >{h.intake}: {handed(h, d)}</span
          >
          {#if handing(h)}<button class="btn ml-auto btn-xs" onclick={() => keep(h)}>Stop</button>{/if}
        </div>
      {/each}
    </li>
  {/each}
</ul>
