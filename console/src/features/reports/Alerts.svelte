<script lang="ts">
  // What the standing checks found: open alerts first, those that are over on demand.
  import { router } from 'svelte-spa-router';
  import { alertsList } from '../../lib/calls';
  import { live } from '../../lib/live.svelte';
  import { Listing } from '../../lib/lists.svelte';
  import DataTable from '../../ui/DataTable.svelte';
  import FilterField from '../../ui/fields/FilterField.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  const list = new Listing(alertsList);
  $effect(() => {
    void router.querystring;
    list.load();
  });
  $effect(() => live.refresh(['alerts'], () => list.load()));
  const STATES = [
    { value: 'open', name: 'open' },
    { value: 'closed', name: 'over' },
  ];
</script>

<div class="mb-3 flex flex-wrap items-center gap-3">
  <h1 class="mr-auto">Alerts</h1>
  <FilterField {list} name="state" label="Open or closed" items={STATES} />
  <a class="link text-sm" href="#/settings">Recipients</a>
</div>
<DataTable
  {list}
  label="Alerts"
  columns={[{ title: 'What' }, { title: 'Opened' }, { title: 'Closed' }, { title: 'Taken on by' }]}
>
  {#snippet row(a)}
    <td>
      <span class={a.closed ? 'text-moss' : a.level === 'broken' ? 'text-brick' : 'text-amber-ink'}>
        <span aria-hidden="true">{a.closed ? '●' : a.level === 'broken' ? '■' : '▲'}</span>
        {a.closed ? 'over' : a.level === 'broken' ? 'broken' : 'look'}:
      </span>
      <a class="link" href="#{a.link}">{a.text}</a>
    </td>
    <td><Timestamp at={a.opened} /></td>
    <td
      >{#if a.closed}<Timestamp at={a.closed} />{:else}–{/if}</td
    >
    <td>{a.acknowledged_by}{a.note ? `: ${a.note}` : ''}</td>
  {/snippet}
  {#snippet empty()}No alert yet. The standing checks look twice a minute.{/snippet}
</DataTable>
