<script lang="ts">
  import { whereOf } from '../restores/restore';
  import { router } from 'svelte-spa-router';
  import { live } from '../../lib/live.svelte';
  import { Listing } from '../../lib/lists.svelte';
  import { bundlesList, restoresList } from '../../lib/calls';
  import type { Restore } from '../../lib/types';
  import { size } from '../../lib/words';
  import FilterField from '../../ui/fields/FilterField.svelte';
  import DataTable from '../../ui/DataTable.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  import OutcomeLabel from '../../ui/OutcomeLabel.svelte';
  const list = new Listing(bundlesList);
  let restores = $state<Restore[]>([]);
  const loadRestores = () =>
    restoresList({ limit: 5 })
      .then((p) => (restores = p.items))
      .catch(() => {});
  $effect(() => {
    void router.querystring;
    list.load();
  });
  loadRestores();
  $effect(() => live.refresh(['bundles'], () => list.load()));
  $effect(() => live.refresh(['restore'], loadRestores));
</script>

<div class="mb-3 flex flex-wrap items-center gap-3">
  <h1 class="mr-auto">Bundles</h1>
  <FilterField {list} name="q" label="Name or subject" /><FilterField
    {list}
    name="job"
    label="Job"
  /><FilterField {list} name="store" label="Store" />
  {#if list.filters.subject}<a class="link text-sm" href="#/bundles"
      >Only {list.filters.subject}: show all</a
    >{/if}
</div>
<DataTable
  {list}
  label="Bundles"
  columns={[
    { title: 'Subject', sort: 'subject' },
    { title: 'Bundle' },
    { title: 'Moment', sort: 'moment' },
    { title: 'Outcome' },
    { title: 'Entries', num: true },
    { title: 'Contents', sort: 'size', num: true },
    { title: 'Stored', sort: 'packed', num: true },
    { title: 'Copies on' },
  ]}
>
  {#snippet row(b)}
    <td>{b.subject}</td><td><a class="link" href="#/bundles/{b.id}">{b.name}</a></td><td
      ><Timestamp at={b.moment} /></td
    ><td><OutcomeLabel outcome={b.outcome} /></td>
    <td class="num">{b.entries.toLocaleString('en')}</td><td class="num">{size(b.bytes)}</td><td
      class="num">{size(b.packed)}</td
    ><td>{b.copies.map((c) => c.store).join(', ')}</td>
  {/snippet}
  {#snippet empty()}No bundle {Object.keys(list.filters).length ? 'matches' : 'yet'}.
    <a class="link" href="#/jobs">Start a job</a>.{/snippet}
</DataTable>
{#if restores.length}
  <h2 class="mt-6 mb-2">Recent restores</h2>
  <div class="sheet overflow-x-auto">
    <table class="ledger">
      <thead
        ><tr
          ><th scope="col">Restore</th><th scope="col">Of</th><th scope="col">To</th><th scope="col"
            >Outcome</th
          ><th scope="col">Started</th></tr
        ></thead
      >
      <tbody
        >{#each restores as r (r.id)}<tr
            ><td><a class="link" href="#/restores/{r.id}">{r.id}</a></td><td
              >{r.subject}, {r.bundle}</td
            ><td class="wrap-anywhere">{whereOf(r)}</td><td
              ><OutcomeLabel outcome={r.outcome} state={r.state} /></td
            ><td><Timestamp at={r.created} /></td></tr
          >{/each}</tbody
      >
    </table>
  </div>
{/if}
