<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import { router } from 'svelte-spa-router';
  import { live } from '../lib/live.svelte';
  import { Listing } from '../lib/lists.svelte';
  import type { Account } from '../lib/types';
  import { size } from '../lib/words';
  import Filter from '../parts/Filter.svelte';
  import Ledger from '../parts/Ledger.svelte';
  import Moment from '../parts/Moment.svelte';
  const list = new Listing<Account>('/accounts');
  $effect(() => { void router.querystring; list.load(); });
  $effect(() => live.refresh(['accounts', 'bundles', 'jobs'], () => list.load()));
</script>

<div class="mb-3 flex flex-wrap items-center gap-3">
  <h1 class="mr-auto">Accounts</h1>
  <Filter {list} name="q" label="Account or site" />
  <Button href="#/accounts/new" size="sm">Add an account</Button>
</div>
<Ledger {list} label="Accounts" columns={[
  { title: 'Account', sort: 'name' }, { title: 'Host', sort: 'host' }, { title: 'Sites', num: true }, { title: 'Databases', num: true },
  { title: 'Mail domains', num: true }, { title: 'Covered by' }, { title: 'Newest good copy', sort: 'newest' }, { title: 'Size', sort: 'size', num: true }, { title: 'Bundles', num: true }]}>
  {#snippet row(a)}
    <td><a class="link" href="#/accounts/{a.name}">{a.name}</a></td><td>{a.host}</td><td class="num">{a.sites.length}</td>
    <td class="num">{a.databases.length}</td><td class="num">{a.mail_domains.length}</td>
    <td>{#if a.covered_by.length}{a.covered_by.join(', ')}{:else}<span class="text-amber-ink">▲ no job</span>{/if}</td>
    <td><Moment at={a.newest} /></td><td class="num">{size(a.newest_bytes)}</td><td class="num">{a.bundles}</td>
  {/snippet}
  {#snippet empty()}No account {list.filters.q ? 'is called that' : 'yet'}. <a class="link" href="#/accounts/new">Add one</a>: its home, sites, databases and mail domains.{/snippet}
</Ledger>
