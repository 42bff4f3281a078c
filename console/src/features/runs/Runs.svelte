<script lang="ts">
  import { router } from 'svelte-spa-router';
  import { live } from '../../lib/live.svelte';
  import { runsList } from '../../lib/calls';
  import { Listing } from '../../lib/lists.svelte';
  import { ENDED, OUTCOMES } from '../../lib/outcomes';
  import { size, took } from '../../lib/words';
  import FilterField from '../../ui/fields/FilterField.svelte';
  import DataTable from '../../ui/DataTable.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  import OutcomeLabel from '../../ui/OutcomeLabel.svelte';
  const list = new Listing(runsList);
  $effect(() => {
    void router.querystring;
    list.load();
  });
  $effect(() => live.refresh(['run', 'runs'], () => list.load()));
  const outcomes = [
    { value: 'trouble', name: 'anything but done' },
    ...ENDED.map((o) => ({
      value: o,
      name: OUTCOMES[o].word,
    })),
  ];
</script>

<div class="mb-3 flex flex-wrap items-center gap-3">
  <h1 class="mr-auto">Runs</h1>
  <FilterField {list} name="job" label="Job" /><FilterField
    {list}
    name="outcome"
    label="Any outcome"
    items={outcomes}
  />
</div>
<DataTable
  {list}
  label="Runs"
  columns={[
    { title: 'Run', sort: 'id' },
    { title: 'Job', sort: 'job' },
    { title: 'Outcome' },
    { title: 'Started', sort: 'started' },
    { title: 'Took', num: true },
    { title: 'Tasks', num: true },
    { title: 'Contents', num: true },
    { title: 'Stored', num: true },
    { title: 'Started by' },
  ]}
>
  {#snippet row(run)}
    <td><a class="link" href="#/runs/{run.id}">{run.id}</a></td><td>{run.job}</td><td
      ><OutcomeLabel outcome={run.outcome} state={run.state} /></td
    >
    <td><Timestamp at={run.started ?? run.created} zone={run.zone} /></td><td class="num"
      >{took(run.started, run.ended)}</td
    ><td class="num">{run.tasks_done}/{run.tasks_total}</td>
    <td class="num">{size(run.bytes)}</td><td class="num">{size(run.packed)}</td><td
      >{run.started_by}</td
    >
  {/snippet}
  {#snippet empty()}{list.filters.job || list.filters.outcome ? 'No run matches.' : 'No run yet.'}
    <a class="link" href="#/jobs">Start a job</a>.{/snippet}
</DataTable>
