<script lang="ts">
  // Usage, growth and cost of a store, and the day it will be full, what it lacks.
  import { storesUsage, storesSimulate } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import { live } from '../../lib/live.svelte';
  import { count, size } from '../../lib/words';
  import AdviceList from '../jobs/AdviceList.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  import ShareTable from './ShareTable.svelte';
  let { store }: { store: string } = $props();
  const known = new Loader(() => storesUsage(store));
  const usage = $derived(known.value);
  // What the keep rules of its jobs come to, whatever it grew by until now.
  const coming = new Loader(() => storesSimulate(store));
  const year = $derived(coming.value);
  const most = $derived(Math.max(0, ...(year?.days.map((day) => day.bytes) ?? [])));
  $effect(() => {
    void store;
    known.load();
    coming.load();
  });
  $effect(() => live.refresh(['stores', 'bundles', 'maintenance'], () => known.load()));
  const price = (value: number) => `${value.toFixed(2)} ${usage?.currency ?? ''}`.trim();
  const DAYS = 60;
</script>

<ErrorMessage problem={known.problem} />
{#if usage}
  <section class="mt-6" aria-labelledby="usage">
    <h2 id="usage" class="mb-2">Space, growth and cost</h2>
    <AdviceList advice={usage.advice ?? []} />
    <div class="sheet grid grid-cols-1 gap-5 p-4 lg:grid-cols-[minmax(0,2fr)_minmax(0,1fr)]">
      <div class="min-w-0">
        {#if usage.days?.length}
          {#await import('../../ui/DayChart.svelte') then { default: DayChart }}
            <DayChart
              days={(usage.days ?? []).slice(-DAYS)}
              label="Bytes that store {store} held, and that were sent and read, by day"
            />
          {/await}
        {:else}<p class="text-faint">Nothing was transferred yet.</p>{/if}
      </div>
      <dl class="grid grid-cols-[7rem_1fr] content-start gap-y-1 text-sm">
        <dt class="text-faint">Holds</dt>
        <dd>{size(usage.bytes)} in {count(usage.copies, 'copy', 'copies')}</dd>
        <dt class="text-faint">Free</dt>
        <dd>{usage.free == null ? 'not told' : size(usage.free)}</dd>
        <dt class="text-faint">Grows</dt>
        <dd>{usage.per_day == null ? 'not known yet' : `${size(usage.per_day)} a day`}</dd>
        <dt class="text-faint">Full on</dt>
        <dd>{usage.full_on ?? '–'} <span class="text-faint">{usage.why}</span></dd>
        {#if year?.jobs.length}
          <dt class="text-faint">In one year</dt>
          <dd>
            at most {size(most)} by its jobs’ keep rules{year.full_on
              ? `; not enough room from ${year.full_on} on`
              : ''}
          </dd>
        {/if}
        {#if usage.currency || usage.price_kept || usage.price_moved}
          <dt class="text-faint">Cost per month</dt>
          <dd>{price(usage.price_kept)} to hold, {price(usage.price_moved)} to move</dd>
        {/if}
        {#if usage.old_versions}
          <dt class="text-faint">Old versions</dt>
          <dd>{size(usage.old_versions)}</dd>
        {/if}
        <dt class="text-faint">Lacks</dt>
        <dd>{usage.lag ? count(usage.lag, 'bundle') : 'nothing'}</dd>
        <dt class="text-faint">Read through</dt>
        <dd>all since <Timestamp at={usage.oldest_read ?? null} /></dd>
      </dl>
    </div>
    <div class="mt-4 grid grid-cols-1 gap-5 lg:grid-cols-3">
      <ShareTable title="By subject" rows={usage.subjects ?? []} />
      <ShareTable title="By job" rows={usage.jobs ?? []} />
      <div class="sheet min-w-0 overflow-x-auto">
        <table class="ledger">
          <caption class="sr-only">Bytes by day</caption>
          <thead
            ><tr
              ><th scope="col">Day (UTC)</th><th scope="col" class="num">Sent</th><th
                scope="col"
                class="num">Read</th
              ><th scope="col" class="num">Held</th></tr
            ></thead
          >
          <tbody
            >{#each (usage.days ?? []).slice(-10).reverse() as day (day.day)}<tr
                ><td>{day.day}</td><td class="num">{size(day.sent)}</td><td class="num"
                  >{size(day.received)}</td
                ><td class="num">{day.stored == null ? '–' : size(day.stored)}</td></tr
              >{/each}</tbody
          >
        </table>
      </div>
    </div>
    {#if usage.transfers?.length}
      <h3 class="mt-4 mb-2 font-semibold">Copied from other stores</h3>
      <div class="sheet min-w-0 overflow-x-auto">
        <table class="ledger">
          <thead
            ><tr
              ><th scope="col">Day (UTC)</th><th scope="col" class="num">Bundles</th><th
                scope="col"
                class="num">Sent</th
              ></tr
            ></thead
          >
          <tbody
            >{#each usage.transfers.slice(0, 10) as day (day.day)}<tr
                ><td>{day.day}</td><td class="num">{day.bundles}</td><td class="num"
                  >{size(day.bytes)}</td
                ></tr
              >{/each}</tbody
          >
        </table>
      </div>
    {/if}
  </section>
{/if}
