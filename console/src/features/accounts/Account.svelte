<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { accountsRemove, accountsShow, bundlesList, kindsList } from '../../lib/calls';
  import { live } from '../../lib/live.svelte';
  import { Loader } from '../../lib/loader.svelte';
  import type { Account, Bundle } from '../../lib/types';
  import { count, size } from '../../lib/words';
  import BundleTable from '../bundles/BundleTable.svelte';
  import FileVersionsPanel from '../bundles/FileVersionsPanel.svelte';
  import GrowthPanel from './GrowthPanel.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  import ConfirmDialog from '../../ui/ConfirmDialog.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { params }: { params: { name: string } } = $props();
  let account = $state<Account | null>(null);
  let bundles = $state<Bundle[]>([]);
  const action = useAction();
  const kinds = new Loader(kindsList);
  let removing = $state(false);
  let withBundles = $state(false);
  function removalText(bundles: number, all: boolean): string {
    const of = count(bundles, 'bundle');
    return [
      'The account, its sites, databases and mail domains are removed from the records, and no job',
      'covers them any more. Files on the host stay.',
      all
        ? `Every copy of its ${of}, and of the bundles of its sites, is removed from all stores;`
        : `Its ${of} stay.`,
      all ? 'only pinned ones stay. This cannot be undone.' : '',
    ].join(' ');
  }
  async function load() {
    await action.run(async () => {
      account = await accountsShow(params.name);
      bundles = (await bundlesList({ subject: params.name, kind: 'account', limit: 50 })).items;
    });
  }
  $effect(() => {
    void params.name;
    load();
  });
  $effect(() => {
    kinds.load();
  });
  $effect(() => live.refresh(['accounts', 'bundles'], load));
</script>

<ErrorMessage problem={action.problem} />
{#if account}
  <div class="mb-3 flex flex-wrap items-center gap-3">
    <h1 class="mr-auto">
      {account.name} <span class="text-base font-normal text-faint">on {account.host}</span>
    </h1>
    <Button href="#/accounts/{account.name}/edit" size="sm" color="alternative">Change</Button>
    <Button
      size="sm"
      color="alternative"
      onclick={() => {
        withBundles = false;
        removing = true;
      }}>Remove</Button
    >
    <Button
      size="sm"
      color="alternative"
      onclick={() => {
        withBundles = true;
        removing = true;
      }}>Remove with its bundles</Button
    >
  </div>
  <div class="grid grid-cols-1 gap-5 lg:grid-cols-3">
    <section class="sheet p-4">
      <h2 class="mb-2">Overview</h2>
      <dl class="grid grid-cols-[7rem_1fr] gap-y-1">
        <dt class="text-faint">Home</dt>
        <dd class="wrap-anywhere">{account.home}</dd>
        <dt class="text-faint">Covered by</dt>
        <dd>
          {#each account.covered_by as job, n (job)}{n ? ', ' : ''}<a
              class="link"
              href="#/jobs/{job}">{job}</a
            >{:else}<span class="text-amber-ink">▲ no job</span>{/each}
        </dd>
        <dt class="text-faint">Newest copy</dt>
        <dd>
          <Timestamp at={account.newest} />{account.newest ? `, ${size(account.newest_bytes)}` : ''}
        </dd>
        {#if account.gone_since}<dt class="text-faint">Gone</dt>
          <dd class="text-amber-ink">
            ▲ not found on its host since {account.gone_since.slice(0, 10)}; its bundles stay
          </dd>{/if}
        {#if account.tags.length}<dt class="text-faint">Tags</dt>
          <dd>{account.tags.join(', ')}</dd>{/if}
        {#if account.excludes.length}<dt class="text-faint">Excludes</dt>
          <dd class="font-mono text-sm">
            {#each account.excludes as line (line)}<div>{line}</div>{/each}
          </dd>{/if}
        <dt class="text-faint">Coverage</dt>
        <dd>
          <a class="link" href="#/coverage?account={account.name}"
            >of its sites, databases and mail</a
          >
        </dd>
        <dt class="text-faint">Bundles</dt>
        <dd>{account.bundles}</dd>
      </dl>
    </section>
    <section class="sheet p-4">
      <h2 class="mb-2">{count(account.sites.length, 'site')}</h2>
      {#each account.sites as site (site.name)}<div class="mb-1">
          {site.name}
          <div class="text-sm wrap-anywhere text-faint">{site.root}</div>
        </div>{/each}
    </section>
    <section class="sheet p-4">
      <h2 class="mb-2">
        {count(account.databases.length, 'database')}, {count(
          account.mail_domains.length,
          'mail domain',
        )}
      </h2>
      {#each account.databases as d (d.engine + d.name)}<div class="mb-1">
          {d.name}
          <span class="text-sm text-faint"
            >{kinds.value?.engine_titles?.[d.engine] ?? d.engine}</span
          >
          {#if d.path !== d.name}
            <div class="text-sm wrap-anywhere text-faint">{d.path}</div>
          {/if}
        </div>{/each}
      {#each account.mail_domains as m (m)}<div>
          {m} <span class="text-sm text-faint">mail</span>
        </div>{/each}
    </section>
  </div>
  <GrowthPanel subject={account.name} kind="account" />
  <h2 class="mt-6 mb-2">Bundles</h2>
  {#if bundles.length}<FileVersionsPanel subject={account.name} />{/if}
  <BundleTable {bundles} />
  <ConfirmDialog
    bind:open={removing}
    title="Remove the account"
    name={account.name}
    what={removalText(account.bundles, withBundles)}
    action={async () => {
      await accountsRemove(account!.name, { bundles: withBundles ? 'remove' : '' });
      push('/accounts');
    }}
  />
{/if}
