<script lang="ts">
  // Beside the job editor: which copies there will be in the coming year, and what they take.
  import { Input, Label, Select } from 'flowbite-svelte';
  import { jobsSimulate } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import type { JobForm } from '../../lib/types';
  import { exact, size } from '../../lib/words';
  let { job }: { job: JobForm } = $props();
  const ASK_AFTER = 600;
  const STEP = 30;
  let store = $state('');
  let day = $state('');
  const chosen = $derived(job.stores.includes(store) ? store : (job.stores[0] ?? ''));
  const loader = new Loader(() =>
    jobsSimulate(
      { ...$state.snapshot(job), name: job.name || 'unnamed' },
      { store: chosen, ...(day ? { day } : {}) },
    ),
  );
  $effect(() => {
    JSON.stringify([job, chosen, day]);
    const timer = setTimeout(() => loader.load(), ASK_AFTER);
    return () => clearTimeout(timer);
  });
  const year = $derived(loader.value);
  const rows = $derived(year?.days.filter((_, n) => n % STEP === 0) ?? []);
  const shown = $derived(year?.days.find((row) => row.moments));
  const most = $derived(Math.max(0, ...(year?.days.map((row) => row.bytes_of_all) ?? [])));
</script>

{#if year && !loader.problem}
  <section class="sheet p-4" aria-labelledby="year">
    <div class="mb-2 flex flex-wrap items-end gap-3">
      <h2 id="year" class="mr-auto">The coming year</h2>
      {#if job.stores.length > 1}
        <Select
          aria-label="Store"
          size="sm"
          class="w-auto!"
          placeholder=""
          items={job.stores.map((name) => ({ value: name, name }))}
          value={chosen}
          onchange={(e) => (store = e.currentTarget.value)}
        />
      {/if}
    </div>
    {#await import('./SimulationChart.svelte') then { default: SimulationChart }}
      <SimulationChart {year} />
    {/await}
    <p class="mt-2 text-sm text-faint">
      If every run succeeds and sizes stay as they are. At most {size(most)} for {year.subjects}
      {year.subjects === 1 ? 'subject' : 'subjects'}{year.free == null
        ? ''
        : `; ${size(year.free)} are free there`}.
    </p>
    <details class="mt-2 text-sm">
      <summary class="cursor-pointer">As a table, with the copies of one day</summary>
      <div class="my-2 flex items-center gap-2">
        <Label for="year-day">Day</Label>
        <Input id="year-day" type="date" size="sm" class="w-40!" bind:value={day} />
      </div>
      {#if shown}
        <p class="mb-2">
          {year.subject} on {shown.day}: {shown.moments
            ?.map((moment) => exact(moment, job.zone).slice(0, 16))
            .join(', ')}
        </p>
      {/if}
      <table class="ledger">
        <thead
          ><tr
            ><th scope="col">Day</th><th scope="col" class="num">Copies</th><th
              scope="col"
              class="num">Take</th
            ><th scope="col" class="num">All</th></tr
          ></thead
        >
        <tbody
          >{#each rows as row (row.day)}<tr
              ><td>{row.day}</td><td class="num">{row.copies}</td><td class="num"
                >{size(row.bytes)}</td
              ><td class="num">{size(row.bytes_of_all)}</td></tr
            >{/each}</tbody
        >
      </table>
    </details>
  </section>
{/if}
