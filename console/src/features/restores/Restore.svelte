<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button, Progressbar } from 'flowbite-svelte';
  import { restoresCancel, restoresShow } from '../../lib/calls';
  import { Problem } from '../../lib/api.svelte';
  import { live } from '../../lib/live.svelte';
  import type { Restore } from '../../lib/types';
  import { size } from '../../lib/words';
  import LogViewer from '../../ui/LogViewer.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  import OutcomeLabel from '../../ui/OutcomeLabel.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { params }: { params: { id: string } } = $props();
  const id = $derived(Number(params.id));
  let row = $state<Restore | null>(null);
  const action = useAction();
  async function load() {
    await action.run(async () => {
      row = await restoresShow(id);
    });
  }
  $effect(() => {
    void id;
    load();
  });
  $effect(() =>
    live.on((kind, data) => {
      if (kind === 'restore' && data.id === id) row = data as Restore;
      if (kind === 'reset') load();
    }),
  );
  async function cancel() {
    await action.run(async () => {
      await restoresCancel(id);
    });
  }
</script>

<ErrorMessage problem={action.problem} />
{#if row}
  <div class="mb-3 flex flex-wrap items-center gap-3">
    <h1>Restore {row.id} of {row.subject}</h1>
    <span class="mr-auto"><OutcomeLabel outcome={row.outcome} state={row.state} /></span>
    {#if row.state !== 'ended'}<Button size="sm" color="alternative" onclick={cancel}>Cancel</Button
      >{/if}
  </div>
  <dl class="sheet mb-5 grid grid-cols-[7rem_1fr] gap-y-1 p-4">
    <dt class="text-faint">Bundle</dt>
    <dd>
      {#if row.bundle_id}<a class="link" href="#/bundles/{row.bundle_id}">{row.bundle}</a
        >{:else}{row.bundle}{/if}, from {row.store}
    </dd>
    <dt class="text-faint">To</dt>
    <dd class="wrap-anywhere">{row.target}</dd>
    <dt class="text-faint">Started</dt>
    <dd><Timestamp at={row.created} /></dd>
    <dt class="text-faint">Progress</dt>
    <dd>
      {row.entries.toLocaleString('en')} entries, {size(row.bytes)}{row.total
        ? ` of ${size(row.total)}`
        : ''}
      {#if row.state === 'running' && row.total}<div class="mt-1 w-64">
          <Progressbar
            progress={Math.min(99, (100 * row.bytes) / row.total).toFixed(0)}
            size="h-2"
            aria-label="Progress"
          />
        </div>{/if}
    </dd>
  </dl>
  {#if row.error}<ErrorMessage problem={new Problem(0, row.error)} />{/if}
  <LogViewer owner={id} kind="restore" />
{/if}
