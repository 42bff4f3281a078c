<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import { router } from 'svelte-spa-router';
  import { live } from '../../lib/live.svelte';
  import { Loader } from '../../lib/loader.svelte';
  import { Listing } from '../../lib/lists.svelte';
  import { size } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FilterField from '../../ui/fields/FilterField.svelte';
  import DataTable from '../../ui/DataTable.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  import { accountsList, hostsList } from '../../lib/calls';
  const list = new Listing(accountsList);
  const hosts = new Loader(() => hostsList({ limit: 500 }));
  hosts.load();
  $effect(() => {
    void router.querystring;
    list.load();
  });
  $effect(() => live.refresh(['accounts', 'bundles', 'jobs'], () => list.load()));
</script>

<div class="mb-3 flex flex-wrap items-center gap-3">
  <h1 class="mr-auto">Accounts</h1>
  <FilterField {list} name="q" label="Account or site" />
  <Button href="#/accounts/new" size="sm">Add an account</Button>
</div>
<ErrorMessage problem={hosts.problem} />
<p class="mb-3 flex flex-wrap gap-x-5 gap-y-1 text-sm">
  <a class="link" href="#/coverage">Coverage of sites, databases and mail</a>
  {#each hosts.value?.items ?? [] as host (host.name)}<span
      ><a class="link" href="#/hosts/{host.name}">{host.name}</a>
      <span class="text-faint">{host.where}</span>{#if host.discovery.homes.length}, <a
          class="link"
          href="#/hosts/{host.name}/discovery">find accounts</a
        >{/if}</span
    >{/each}
  <a class="link" href="#/hosts/new">Add a host</a>
</p>
<DataTable
  {list}
  label="Accounts"
  columns={[
    { title: 'Account', sort: 'name' },
    { title: 'Host', sort: 'host' },
    { title: 'Sites', num: true },
    { title: 'Databases', num: true },
    { title: 'Mail domains', num: true },
    { title: 'Covered by' },
    { title: 'Newest good copy', sort: 'newest' },
    { title: 'Size', sort: 'size', num: true },
    { title: 'Bundles', num: true },
  ]}
>
  {#snippet row(a)}
    <td
      ><a class="link" href="#/accounts/{a.name}">{a.name}</a>{#if a.gone_since}<div
          class="text-sm text-amber-ink"
        >
          ▲ gone since {a.gone_since.slice(0, 10)}
        </div>{/if}</td
    ><td>{a.host}</td><td class="num">{a.sites.length}</td>
    <td class="num">{a.databases.length}</td><td class="num">{a.mail_domains.length}</td>
    <td
      >{#if a.covered_by.length}{a.covered_by.join(', ')}{:else}<span class="text-amber-ink"
          >▲ no job</span
        >{/if}</td
    >
    <td><Timestamp at={a.newest} /></td><td class="num">{size(a.newest_bytes)}</td><td class="num"
      >{a.bundles}</td
    >
  {/snippet}
  {#snippet empty()}{list.filters.q ? 'No account matches.' : 'No accounts yet.'}
    <a class="link" href="#/accounts/new">Add one</a>: its home, sites, databases and mail domains.
  {/snippet}
</DataTable>
