<script lang="ts">
  // What is done to the copies on a store after they were made.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Progressbar } from 'flowbite-svelte';
  import {
    maintenanceCancel,
    maintenanceList,
    storesRepack,
    storesSeal,
    storesTransfer,
    storesVerify,
  } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import { live } from '../../lib/live.svelte';
  import type { MaintenanceTask } from '../../lib/types';
  import { size } from '../../lib/words';
  import Timestamp from '../../ui/Timestamp.svelte';
  import OutcomeLabel from '../../ui/OutcomeLabel.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let {
    store,
    sealed = false,
    appendOnly = false,
  }: { store: string; sealed?: boolean; appendOnly?: boolean } = $props();
  const tasks = new Loader(() => maintenanceList({ store, limit: 12 }));
  const works = $derived(tasks.value?.items ?? []);
  const doing = useAction();
  $effect(() => {
    void store;
    tasks.load();
  });
  $effect(() => live.refresh(['maintenance', 'stores'], () => tasks.load()));
  async function act(call: () => Promise<unknown>) {
    await doing.run(async () => {
      await call();
    });
    await tasks.load();
  }
  const verify = (deep: boolean) => act(() => storesVerify(store, { deep }));
  const repack = (dry_run: boolean) => act(() => storesRepack(store, { dry_run }));
  const catchUp = () => act(() => storesTransfer(store, {}));
  const seal = () => act(() => storesSeal(store, {}));
  const cancel = (id: number) => act(() => maintenanceCancel(id));
  const kind = (w: MaintenanceTask) =>
    `${w.kind}${w.deep ? ' deep' : ''}${w.dry_run ? ', dry run' : ''}`;
</script>

<section class="mt-6" aria-labelledby="maintenance">
  <div class="mb-2 flex flex-wrap items-center gap-2">
    <h2 id="maintenance" class="mr-auto">Maintenance</h2>
    <Button
      size="xs"
      onclick={() => verify(false)}
      title="Checks that all pieces exist, their sizes, and checksums if the store has them"
      >Quick verify</Button
    >
    <Button size="xs" onclick={() => verify(true)} title="Reads and compares every byte"
      >Deep verify</Button
    >
    <Button
      size="xs"
      color="alternative"
      onclick={catchUp}
      title="Copies missed bundles from the other stores of its jobs">Catch up</Button
    >
    {#if sealed && !appendOnly}
      <Button
        size="xs"
        color="alternative"
        onclick={seal}
        title="Seals existing bundles to the keys of this store">Seal existing bundles</Button
      >
    {/if}
    <Button size="xs" color="alternative" onclick={() => repack(true)}>Measure unused data</Button>
    {#if !appendOnly}
      <Button
        size="xs"
        color="alternative"
        onclick={() => repack(false)}
        title="Rewrites pieces without unused data. You can cancel it at any time.">Repack</Button
      >
    {/if}
  </div>
  <ErrorMessage problem={doing.problem ?? tasks.problem} />
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
                      >{w.stage || 'waiting'}{w.total
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
  {:else}<p class="text-faint">No maintenance yet.</p>{/if}
</section>
