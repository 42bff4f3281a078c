<script lang="ts">
  import { overview as askOverview } from '../../lib/calls';
  import { live } from '../../lib/live.svelte';
  import { Loader } from '../../lib/loader.svelte';
  import { clock, count, duration } from '../../lib/words';
  import AttentionList from './AttentionList.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FirstSteps from './FirstSteps.svelte';
  import NightGrid from './NightGrid.svelte';
  import RecentRuns from './RecentRuns.svelte';
  import RunningRuns from './RunningRuns.svelte';
  import StoreTable from './StoreTable.svelte';
  import UpcomingChart from './UpcomingChart.svelte';
  const loader = new Loader(askOverview);
  const KINDS = ['run', 'hosts', 'jobs', 'accounts', 'stores', 'reports', 'bundles', 'alerts'];
  loader.load();
  $effect(() => live.refresh(KINDS, () => loader.load()));
  const overview = $derived(loader.value);
  const expected = $derived(overview?.upcoming[0]?.expected);
</script>

<h1 class="sr-only">Overview</h1>
<ErrorMessage problem={loader.problem} />
{#if overview}
  <div class="grid grid-cols-1 gap-5 lg:grid-cols-2">
    {#if !overview.bundles}<FirstSteps {overview} />{/if}
    <AttentionList {overview} reload={() => loader.load()} />
    {#if overview.running.length}<RunningRuns runs={overview.running} />{/if}
    <section class="lg:col-span-2" aria-labelledby="coming">
      <div class="mb-2 flex items-baseline gap-3">
        <h2 id="coming">The next 24 hours</h2>
        <a class="link text-sm" href="#/calendar">The coming two weeks</a>
      </div>
      <div class="sheet px-4 py-3">
        <UpcomingChart now={overview.now} upcoming={overview.upcoming} />
      </div>
    </section>
    <NightGrid nights={overview.nights} />
    <div>
      <RecentRuns runs={overview.recent} />
      <StoreTable stores={overview.stores} />
      <p class="mt-2 text-sm text-faint">
        {count(overview.accounts, 'account')}, {count(overview.sites, 'site')},
        {count(overview.jobs, 'job')}, {count(overview.bundles, 'bundle')}. As of
        {clock(overview.now)} UTC{expected
          ? `; the next run took ${duration(expected)} last time`
          : ''}.
      </p>
    </div>
  </div>
{/if}
