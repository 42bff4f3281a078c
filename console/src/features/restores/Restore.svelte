<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button, Progressbar } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { restoresCancel, restoresShow, restoresStart } from '../../lib/calls';
  import { Problem } from '../../lib/api.svelte';
  import { live } from '../../lib/live.svelte';
  import type { Restore } from '../../lib/types';
  import { size } from '../../lib/words';
  import LogViewer from '../../ui/LogViewer.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  import OutcomeLabel from '../../ui/OutcomeLabel.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import PlanTable from './PlanTable.svelte';
  import SetAside from './SetAside.svelte';
  import { drillWords, planWords, whereOf } from './restore';
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
      if (kind === 'restore' && data.id === id) {
        row = data as Restore;
        // Until when something is kept is not part of the event.
        if (row.state === 'ended') load();
      }
      if (kind === 'reset') load();
    }),
  );
  let of = $state<Restore | null>(null);
  $effect(() => {
    const number = row?.state === 'ended' ? row.of_restore : null;
    if (number) action.run(async () => (of = await restoresShow(number)));
  });
  const TITLES: Record<string, string> = { plan: 'Restore plan', drill: 'Drill' };
  const isDone = $derived(row?.outcome === 'done' || row?.outcome === 'warned');
  const changes = $derived(
    row?.plan && row.plan.created + row.plan.replaced + row.plan.removed + row.plan.attributes,
  );
  async function carryOut() {
    const { bundle_id, store, contents, paths, databases, tables } = row!;
    const { in_place, relocation, special_modes, owners } = row!;
    const { commands, hold_page, bundle_first } = row!;
    await action.run(async () => {
      const chosen = { contents, paths, databases, tables };
      const whole = { whole_account: row!.whole_account, web_address: row!.web_address };
      const around = { commands, hold_page, bundle_first };
      const place = { in_place, relocation, special_modes, owners };
      const options = { store, ...chosen, ...whole, ...around, ...place };
      push(`/restores/${(await restoresStart({ bundle: bundle_id!, ...options })).id}`);
    });
  }
  async function cancel() {
    await action.run(async () => {
      await restoresCancel(id);
    });
  }
</script>

<ErrorMessage problem={action.problem} />
{#if row}
  <div class="mb-3 flex flex-wrap items-center gap-3">
    <h1>{TITLES[row.kind ?? ''] ?? 'Restore'} {row.id} of {row.subject}</h1>
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
    <dd class="wrap-anywhere">{whereOf(row)}</dd>
    {#if row.plan}
      <dt class="text-faint">Plan</dt>
      <dd>
        {planWords(row.plan)}
        {#each row.plan.notes ?? [] as note (note)}<p class="text-sm text-amber-ink">
            ▲ {note}
          </p>{/each}
      </dd>
    {/if}
    {#if row.drill}
      <dt class="text-faint">Result</dt>
      <dd>{drillWords(row.drill)}</dd>
    {/if}
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
  {#if row.aside === 'kept'}<SetAside restore={row} />{/if}
  {#if of?.aside === 'kept' && row.kind === 'undo'}
    <SetAside restore={of} refused={row.outcome === 'failed'} />
  {/if}
  {#if row.kind === 'plan' && isDone && row.bundle_id && changes}
    <div class="mb-5 flex gap-3">
      <Button onclick={carryOut} disabled={action.busy}
        >{row.relocation ? 'Restore there now' : 'Restore in place now'}</Button
      >
      <Button color="alternative" href="#/bundles/{row.bundle_id}">Back to the bundle</Button>
    </div>
  {/if}
  {#if row.plan}{#key row.id}<PlanTable restore={row.id} />{/key}{/if}
  <LogViewer owner={id} kind="restore" />
{/if}
