<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button } from 'flowbite-svelte';
  import { router } from 'svelte-spa-router';
  import { outboxSend, reportsList } from '../../lib/calls';
  import { live } from '../../lib/live.svelte';
  import { Listing } from '../../lib/lists.svelte';
  import FilterField from '../../ui/fields/FilterField.svelte';
  import DataTable from '../../ui/DataTable.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  const list = new Listing(reportsList);
  const action = useAction();
  $effect(() => {
    void router.querystring;
    list.load();
  });
  $effect(() => live.refresh(['reports'], () => list.load()));
  const unsent = $derived(list.items.filter((r) => r.state !== 'sent').length);
  async function send() {
    await action.run(async () => {
      await outboxSend();
    });
  }
</script>

<div class="mb-3 flex flex-wrap items-center gap-3">
  <h1 class="mr-auto">Reports</h1>
  <FilterField {list} name="q" label="Title or address" />
  {#if unsent}<Button size="sm" onclick={send}>Try the {unsent} unsent again now</Button>{/if}
</div>
<ErrorMessage problem={action.problem} />
<DataTable
  {list}
  label="Reports"
  columns={[{ title: 'Report' }, { title: 'Written' }, { title: 'To' }, { title: 'Sent' }]}
>
  {#snippet row(r)}
    <td><a class="link" href="#/reports/{r.id}">{r.title}</a></td><td><Timestamp at={r.at} /></td
    ><td>{r.channel || r.recipients.join(', ')}</td>
    <td
      >{#if r.sent}<span class="text-moss"><span aria-hidden="true">●</span> sent</span>
        <Timestamp at={r.sent} />{:else if r.state === 'undeliverable'}<span class="text-brick"
          ><span aria-hidden="true">■</span> given up. {r.last_error}</span
        >{:else}<span class="text-amber-ink"
          ><span aria-hidden="true">▲</span> is waiting in the outbox. {r.last_error}</span
        >{/if}</td
    >
  {/snippet}
  {#snippet empty()}No report yet. They are written when a job with a report address has run. <a
      class="link"
      href="#/settings">Set the mail server</a
    >.{/snippet}
</DataTable>
