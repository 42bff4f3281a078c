<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button } from 'flowbite-svelte';
  import { push, router } from 'svelte-spa-router';
  import { jobsList, jobsStart } from '../../lib/calls';
  import { live } from '../../lib/live.svelte';
  import { Listing } from '../../lib/lists.svelte';
  import FilterField from '../../ui/fields/FilterField.svelte';
  import DataTable from '../../ui/DataTable.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  import OutcomeLabel from '../../ui/OutcomeLabel.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  const list = new Listing(jobsList);
  const action = useAction();
  $effect(() => {
    void router.querystring;
    list.load();
  });
  $effect(() => live.refresh(['jobs', 'run'], () => list.load()));
  async function start(name: string) {
    await action.run(async () => {
      push(`/runs/${(await jobsStart(name, { full: false, compare: false })).id}`);
    });
  }
</script>

<div class="mb-3 flex flex-wrap items-center gap-3">
  <h1 class="mr-auto">Jobs</h1>
  <FilterField {list} name="q" label="Name" /><Button href="#/jobs/new" size="sm">Add a job</Button>
</div>
<ErrorMessage problem={action.problem} />
<DataTable
  {list}
  label="Jobs"
  columns={[
    { title: 'Job', sort: 'name' },
    { title: 'What it does' },
    { title: 'Next start', sort: 'next' },
    { title: 'Last run' },
    { title: 'Start' },
  ]}
>
  {#snippet row(job)}
    <td
      ><a class="link font-semibold" href="#/jobs/{job.name}">{job.name}</a>{#if !job.enabled}<div
          class="text-sm text-faint"
        >
          disabled
        </div>{/if}{#if job.paused}<div class="text-sm text-amber-ink">
          <span aria-hidden="true">▲</span> paused
        </div>{/if}</td
    >
    <td class="max-w-2xl">{job.summary}</td>
    <td><Timestamp at={job.next_start} zone={job.zone} never="by hand" /></td>
    <td
      >{#if job.last_run}<a class="link" href="#/runs/{job.last_run}">run {job.last_run}</a>:
        <OutcomeLabel outcome={job.last_outcome} />{:else}<span class="text-faint">never</span
        >{/if}</td
    >
    <td
      >{#if job.running}<OutcomeLabel state="running" />{:else}<Button
          size="xs"
          class="whitespace-nowrap"
          onclick={() => start(job.name)}
          aria-label="Start {job.name} now">Start now</Button
        >{/if}</td
    >
  {/snippet}
  {#snippet empty()}No job yet. <a class="link" href="#/jobs/new">Add one</a>: what, where, when,
    keep, tell.{/snippet}
</DataTable>
