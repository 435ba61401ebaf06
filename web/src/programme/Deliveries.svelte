<script lang="ts">
  import { api, ask, type Delivery } from '../api/api';
  import { bytes, counted, duration } from '../shared/format';

  let { list, shots = [] }: { list: Delivery[]; shots?: { id: string; name: string }[] } = $props();
  let error = $state('');

  const going = (d: Delivery) => ['queued', 'rendering', 'joining', 'verifying'].includes(d.state);
  const said = (d: Delivery): string => {
    if (going(d) && d.waiting) return d.waiting;
    switch (d.state) {
      case 'queued':
        return 'waiting for its turn';
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

  async function cancel(d: Delivery) {
    try {
      await ask(api.POST('/api/deliveries/{id}/cancel', { params: { path: { id: d.id } } }));
      error = '';
    } catch (e) {
      error = (e as Error).message;
    }
  }
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
        {#if going(d)}<button class="btn ml-auto btn-xs" onclick={() => cancel(d)}>Cancel</button>
        {:else if d.state === 'done'}
          {#if !d.shot}<a
              class="btn ml-auto btn-xs"
              href="/api/deliveries/{d.id}/certificate"
              download="{d.name}.certificate.json"
              title="Signed: what is in the file, in which state it was, and who decided. celator verify checks it"
              >Certificate</a
            >{/if}
          <a
            class="btn {d.shot ? 'ml-auto' : ''} btn-primary btn-xs"
            href="/api/deliveries/{d.id}/file"
            download={d.name}>Download</a
          >{/if}
      </div>
      {#if going(d)}<progress
          class="progress progress-primary"
          value={d.state === 'verifying' ? d.verified : d.rendered}
          max={d.frames}
          aria-label="Progress of {d.name}"
        ></progress>{/if}
      <span class={d.state === 'failed' ? 'text-error' : 'quiet'}
        >{d.state === 'done' ? 'Verified: ' : ''}{said(d)}</span
      >
    </li>
  {/each}
</ul>
