<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import { call, Problem } from '../lib/api.svelte';
  import { live } from '../lib/live.svelte';
  import type { Overview } from '../lib/types';
  import { clock, count, duration, OUTCOMES, size, took } from '../lib/words';
  import DayLine from '../parts/DayLine.svelte';
  import Moment from '../parts/Moment.svelte';
  import Outcome from '../parts/Outcome.svelte';
  import Trouble from '../parts/Trouble.svelte';
  let found = $state<Overview | null>(null);
  let problem = $state<Problem | null>(null);
  async function load() {
    try {
      found = await call('GET', '/overview');
      problem = null;
    } catch (error) {
      problem = error as Problem;
    }
  }
  load();
  $effect(() => live.refresh(['run', 'jobs', 'accounts', 'stores', 'reports', 'bundles'], load));
  const tone: Record<string, string> = {
    good: 'text-moss',
    look: 'text-amber-ink',
    broken: 'text-brick',
    plain: 'text-faint',
    live: '',
  };
</script>

<h1 class="sr-only">Overview</h1>
<Trouble {problem} />
{#if found}
  <div class="grid grid-cols-1 gap-5 lg:grid-cols-2">
    <section class="lg:col-span-2" aria-labelledby="attention">
      <h2 id="attention" class="mb-2">What needs a person</h2>
      <div class="sheet divide-y divide-rule">
        {#each found.attention as row (row.text)}
          <a
            href="#{row.link}"
            class="flex gap-3 px-4 py-2 hover:bg-gray-100 dark:hover:bg-gray-800 {row.level ===
            'broken'
              ? 'text-brick'
              : 'text-amber-ink'}"
          >
            <span aria-hidden="true">{row.level === 'broken' ? '■' : '▲'}</span>
            <span
              ><strong>{row.level === 'broken' ? 'Broken' : 'Look'}:</strong>
              <span class="underline underline-offset-2">{row.text}</span></span
            >
          </a>
        {:else}
          <p class="px-4 py-2">
            <span class="text-moss"><span aria-hidden="true">●</span> Nothing needs a person.</span>
            {#if !found.accounts}Begin with <a class="link" href="#/stores/new">a store</a>, then
              <a class="link" href="#/accounts">an account</a>, then
              <a class="link" href="#/jobs/new">a job</a>.{/if}
          </p>
        {/each}
      </div>
    </section>

    {#if found.running.length}
      <section class="lg:col-span-2" aria-labelledby="running">
        <h2 id="running" class="mb-2">Running now</h2>
        <div class="sheet divide-y divide-rule">
          {#each found.running as run (run.id)}
            <a
              href="#/runs/{run.id}"
              class="flex flex-wrap gap-x-6 px-4 py-2 hover:bg-gray-100 dark:hover:bg-gray-800"
            >
              <Outcome state={run.state} /> <span class="link">run {run.id} of {run.job}</span>
              <span class="tabular-nums"
                >{run.tasks_done} of {count(run.tasks_total, 'task')} done</span
              >
            </a>
          {/each}
        </div>
      </section>
    {/if}

    <section class="lg:col-span-2" aria-labelledby="coming">
      <h2 id="coming" class="mb-2">The next 24 hours</h2>
      <div class="sheet px-4 py-3"><DayLine now={found.now} upcoming={found.upcoming} /></div>
    </section>

    <section aria-labelledby="nights">
      <h2 id="nights" class="mb-2">The last fourteen nights</h2>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <div
        class="sheet overflow-x-auto"
        tabindex="0"
        role="region"
        aria-label="The last fourteen nights"
      >
        {#if found.nights.length}
          <table class="ledger">
            <thead
              ><tr
                ><th scope="col">Subject</th>{#each found.nights[0].nights as night (night.day)}<th
                    scope="col"
                    class="px-0.5! text-center!"
                    title={night.day}>{night.day.slice(8)}</th
                  >{/each}</tr
              ></thead
            >
            <tbody>
              {#each found.nights as row (row.subject_kind + row.subject)}
                <tr
                  ><td><a class="link" href="#/bundles?subject={row.subject}">{row.subject}</a></td>
                  {#each row.nights as night (night.day)}
                    {@const shown = OUTCOMES[night.outcome]}
                    <td
                      class="px-0.5! text-center {shown ? tone[shown.tone] : 'text-faint'}"
                      title="{night.day}: {shown?.word ?? 'nothing ran'}"
                      ><span aria-hidden="true">{shown?.mark ?? '·'}</span><span class="sr-only"
                        >{shown?.word ?? 'nothing ran'}</span
                      ></td
                    >
                  {/each}</tr
                >
              {/each}
            </tbody>
          </table>
        {:else}<p class="p-4 text-faint">
            Nothing ran yet. <a class="link" href="#/jobs">Start a job</a> and watch it.
          </p>{/if}
      </div>
      <p class="mt-1 text-xs text-faint">
        ● done &ensp; ▲ with warnings &ensp; ◧ a copy is missing &ensp; ■ failed or interrupted
        &ensp; ◇ cancelled &ensp; · nothing ran (days in UTC)
      </p>
    </section>

    <section aria-labelledby="recent">
      <div class="mb-2 flex items-center">
        <h2 id="recent" class="mr-auto">Last runs</h2>
        <a class="link text-sm" href="#/runs">All runs</a>
      </div>
      <div class="sheet overflow-x-auto">
        {#if found.recent.length}
          <table class="ledger">
            <thead
              ><tr
                ><th scope="col">Run</th><th scope="col">Outcome</th><th scope="col">Ended</th><th
                  scope="col"
                  class="num">Took</th
                ><th scope="col" class="num">Packed</th></tr
              ></thead
            >
            <tbody
              >{#each found.recent as run (run.id)}<tr>
                  <td><a class="link" href="#/runs/{run.id}">{run.id} {run.job}</a></td><td
                    ><Outcome outcome={run.outcome} /></td
                  >
                  <td><Moment at={run.ended} zone={run.zone} /></td><td class="num"
                    >{took(run.started, run.ended)}</td
                  ><td class="num">{size(run.packed)}</td>
                </tr>{/each}</tbody
            >
          </table>
        {:else}<p class="p-4 text-faint">None yet.</p>{/if}
      </div>
      <h2 class="mt-5 mb-2">Stores</h2>
      <div class="sheet overflow-x-auto">
        <table class="ledger">
          <thead
            ><tr
              ><th scope="col">Store</th><th scope="col" class="num">Copies</th><th
                scope="col"
                class="num">Stored</th
              ><th scope="col">Newest</th></tr
            ></thead
          >
          <tbody
            >{#each found.stores as store (store.name)}<tr
                ><td><a class="link" href="#/stores/{store.name}">{store.name}</a></td><td
                  class="num">{store.copies}</td
                ><td class="num">{size(store.bytes)}</td><td><Moment at={store.newest} /></td></tr
              >
            {:else}<tr
                ><td colspan="4" class="text-faint"
                  >None yet. <Button href="#/stores/new" size="xs">Add a store</Button></td
                ></tr
              >{/each}</tbody
          >
        </table>
      </div>
      <p class="mt-2 text-sm text-faint">
        {count(found.accounts, 'account')}, {count(found.sites, 'site')}, {count(
          found.jobs,
          'job',
        )}, {count(found.bundles, 'bundle')}. As of {clock(found.now)} UTC{found.upcoming[0]
          ?.expected
          ? `; the next run took ${duration(found.upcoming[0].expected)} last time`
          : ''}.
      </p>
    </section>
  </div>
{/if}
