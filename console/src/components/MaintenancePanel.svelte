<script lang="ts">
  // What is done to the copies on a store after they were made.
  import { Button, Progressbar } from 'flowbite-svelte';
  import { maintenanceCancel } from '../lib/calls';
  import { call, Problem } from '../lib/api.svelte';
  import { live } from '../lib/live.svelte';
  import type { Page, Maintenance } from '../lib/types';
  import { size } from '../lib/words';
  import Timestamp from './Timestamp.svelte';
  import OutcomeLabel from './OutcomeLabel.svelte';
  import ErrorMessage from './ErrorMessage.svelte';
  let { store }: { store: string } = $props();
  let works = $state<Maintenance[]>([]);
  let problem = $state<Problem | null>(null);
  async function load() {
    try {
      works = (await call<Page<MaintenancePanel>>('GET', `/maintenance?store=${store}&limit=12`))
        .items;
    } catch (error) {
      problem = error as Problem;
    }
  }
  $effect(() => {
    void store;
    load();
  });
  $effect(() => live.refresh(['maintenance', 'stores'], load));
  async function start(what: string, body: object) {
    problem = null;
    try {
      await call('POST', `/stores/${store}/${what}`, body);
    } catch (error) {
      problem = error as Problem;
    }
    await load();
  }
  async function cancel(id: number) {
    try {
      await maintenanceCancel(id);
    } catch (error) {
      problem = error as Problem;
    }
  }
  const kind = (w: Maintenance) =>
    `${w.kind}${w.deep ? ' deep' : ''}${w.dry_run ? ', dry run' : ''}`;
</script>

<section class="mt-6" aria-labelledby="maintenance">
  <div class="mb-2 flex flex-wrap items-center gap-2">
    <h2 id="maintenance" class="mr-auto">Maintenance</h2>
    <Button
      size="xs"
      onclick={() => start('verify', {})}
      title="All pieces there, sizes, and checksums where the store gives them"
      >Verify quickly</Button
    >
    <Button
      size="xs"
      onclick={() => start('verify', { deep: true })}
      title="Reads every byte and compares">Verify deep</Button
    >
    <Button size="xs" color="alternative" onclick={() => start('repack', { dry_run: true })}
      >Measure dead weight</Button
    >
    <Button
      size="xs"
      color="alternative"
      onclick={() => start('repack', {})}
      title="Writes pieces anew without their dead weight; may be stopped at any time"
      >Repack</Button
    >
  </div>
  <ErrorMessage {problem} />
  {#if works.length}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div
      class="sheet overflow-x-auto"
      tabindex="0"
      role="region"
      aria-label="Maintenance of this store"
    >
      <table class="ledger">
        <thead
          ><tr
            ><th scope="col">What</th><th scope="col">Subject</th><th scope="col">Outcome</th><th
              scope="col">Started</th
            ><th scope="col">Result</th></tr
          ></thead
        >
        <tbody
          >{#each works as w (w.id)}<tr>
              <td class="whitespace-nowrap">{kind(w)}</td><td>{w.subject}</td><td
                ><OutcomeLabel outcome={w.outcome} state={w.state} /></td
              >
              <td
                ><Timestamp at={w.started ?? w.created} />
                <span class="text-sm text-faint">by {w.started_by}</span></td
              >
              <td
                >{#if w.state === 'ended'}{w.sentence}{:else}<div class="flex items-center gap-3">
                    {#if w.total}<div class="w-32">
                        <Progressbar
                          progress={Math.min(99, (100 * w.bytes) / w.total).toFixed(0)}
                          size="h-2"
                          aria-label="Progress of {w.kind} {w.subject}"
                        />
                      </div>{/if}<span class="text-sm tabular-nums"
                      >{w.stage || 'waits'}{w.total
                        ? `: ${size(w.bytes)} of ${size(w.total)}`
                        : ''}</span
                    ><Button
                      size="xs"
                      color="alternative"
                      onclick={() => cancel(w.id)}
                      aria-label="Cancel {w.kind} {w.subject}">Cancel</Button
                    >
                  </div>{/if}</td
              >
            </tr>{/each}</tbody
        >
      </table>
    </div>
  {:else}<p class="text-faint">Nothing was verified on demand yet.</p>{/if}
</section>
