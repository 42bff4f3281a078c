<script lang="ts">
  import { router } from 'svelte-spa-router';
  import { live } from '../../lib/live.svelte';
  import { coverageList } from '../../lib/calls';
  import { Listing } from '../../lib/lists.svelte';
  import FilterField from '../../ui/fields/FilterField.svelte';
  import DataTable from '../../ui/DataTable.svelte';
  import DrillsPanel from '../restores/DrillsPanel.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  const list = new Listing(coverageList);
  $effect(() => {
    void router.querystring;
    list.load();
  });
  $effect(() => live.refresh(['accounts', 'bundles', 'jobs', 'hosts'], () => list.load()));
  const STATES: Record<string, { mark: string; word: string; tone: string }> = {
    protected: { mark: '●', word: 'protected', tone: 'text-moss' },
    late: { mark: '▲', word: 'copy too old', tone: 'text-amber-ink' },
    never: { mark: '▲', word: 'no copy yet', tone: 'text-amber-ink' },
    bare: { mark: '■', word: 'no job', tone: 'text-brick' },
  };
</script>

<div class="mb-3 flex flex-wrap items-center gap-3">
  <h1 class="mr-auto">Coverage</h1>
  <FilterField {list} name="q" label="Name or account" />
  <FilterField
    {list}
    name="state"
    label="All states"
    items={[
      { value: 'trouble', name: 'all but protected' },
      ...Object.entries(STATES).map(([value, s]) => ({ value, name: s.word })),
    ]}
  />
</div>
<DataTable
  {list}
  label="Coverage"
  columns={[
    { title: 'State', sort: 'state' },
    { title: 'What' },
    { title: 'Name', sort: 'name' },
    { title: 'Account', sort: 'account' },
    { title: 'Host' },
    { title: 'Jobs' },
    { title: 'Newest good copy', sort: 'newest' },
  ]}
>
  {#snippet row(r)}
    <td class="whitespace-nowrap {STATES[r.state].tone}"
      ><span aria-hidden="true">{STATES[r.state].mark}</span> {STATES[r.state].word}</td
    ><td class="whitespace-nowrap">{r.kind}</td><td class="wrap-anywhere">{r.name}</td>
    <td
      >{#if r.account}<a class="link" href="#/accounts/{r.account}">{r.account}</a>{:else}<a
          class="link"
          href="#/hosts/{r.host}/discovery">no account</a
        >{/if}</td
    ><td class="whitespace-nowrap">{r.host}</td>
    <td
      >{#each r.jobs as job, n (job)}{n ? ', ' : ''}<a class="link" href="#/jobs/{job}">{job}</a
        >{:else}<a class="link" href="#/jobs/new">Add a job</a>{/each}</td
    ><td><Timestamp at={r.newest} /></td>
  {/snippet}
  {#snippet empty()}{#if list.filters.state || list.filters.q}Nothing matches. <a
        class="link"
        href="#/coverage">Show all</a
      >{:else}No account has sites, databases or mail domains yet. <a class="link" href="#/accounts"
        >Add accounts</a
      > first.{/if}{/snippet}
</DataTable>
<DrillsPanel />
