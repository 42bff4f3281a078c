<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import {
    channelsList,
    jobDefaults,
    jobsAdd,
    jobsChange,
    jobsRemove,
    jobsShow,
    jobsStart,
    jobsSummary,
    storesList,
  } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import type { JobForm } from '../../lib/types';
  import ConfirmDialog from '../../ui/ConfirmDialog.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import JobKeep from './sections/JobKeep.svelte';
  import JobMore from './sections/JobMore.svelte';
  import JobPacking from './sections/JobPacking.svelte';
  import JobSummaryPanel from './JobSummaryPanel.svelte';
  import JobTell from './sections/JobTell.svelte';
  import JobWhat from './sections/JobWhat.svelte';
  import JobWhen from './sections/JobWhen.svelte';
  import JobWhere from './sections/JobWhere.svelte';
  import NameField, { nameFault } from '../../ui/fields/NameField.svelte';
  import PageHead from '../../ui/PageHead.svelte';
  import PreviewPanel from './PreviewPanel.svelte';
  import SimulationPanel from './SimulationPanel.svelte';
  let { params = {} }: { params?: { name?: string } } = $props();
  const ASK_AFTER = 350;
  let job = $state<JobForm | null>(null);
  const doing = useAction();
  let removing = $state(false);

  const stores = new Loader(() => storesList({ limit: 500 }));
  const channels = new Loader(channelsList);
  const form = new Loader(async () => {
    const defaults = await jobDefaults();
    const zone = Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC';
    if (!params.name) return { ...defaults, zone };
    const saved = await jobsShow(params.name);
    const fields = Object.keys(defaults) as (keyof JobForm)[];
    return Object.fromEntries(fields.map((key) => [key, saved[key]])) as JobForm;
  });
  $effect(() => {
    void params.name;
    job = null;
    stores.load();
    channels.load();
    reload();
  });
  const reload = () => form.load().then(() => (job = form.value));

  const body = (): JobForm => ({ ...$state.snapshot(job!), name: job!.name || 'unnamed' });
  // Asked of the service while it is filled in: its words are the ones that count.
  const summary = new Loader(() => jobsSummary(body()));
  $effect(() => {
    if (!job) return;
    JSON.stringify(job);
    const timer = setTimeout(() => summary.load(), ASK_AFTER);
    return () => clearTimeout(timer);
  });
  const wrong = $derived(summary.problem);
  const at = (field: string) => doing.problem?.at(field) || wrong?.at(field) || '';
  const unready = $derived(!job?.name || !!nameFault(job.name));

  async function save(start: boolean) {
    await doing.run(async () => {
      const saved = await (params.name ? jobsChange(params.name, body()) : jobsAdd(body()));
      if (!start) return push('/jobs');
      const run = await jobsStart(saved.name, { full: false, compare: false });
      push(`/runs/${run.id}`);
    });
  }
</script>

<PageHead title={params.name ? `Job ${params.name}` : 'Add a job'}>
  {#if params.name}
    <a class="link text-sm" href="#/runs?job={params.name}">Runs</a>
    <Button size="sm" color="alternative" onclick={() => (removing = true)}>Remove</Button>
  {/if}
</PageHead>
<ErrorMessage problem={form.problem ?? stores.problem} />
{#if job}
  <div class="grid grid-cols-1 gap-5 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
    <form
      class="sheet divide-y divide-rule"
      onsubmit={(e) => {
        e.preventDefault();
        save(true);
      }}
    >
      {#if !params.name}
        <div class="p-4">
          <NameField
            bind:value={job.name}
            problem={doing.problem}
            hint="Used in bundle names; it cannot be changed later."
            placeholder="nightly"
          />
        </div>
      {/if}
      <JobWhat bind:job {at} />
      <JobWhere bind:job stores={stores.value?.items ?? []} {at} />
      <JobWhen bind:job {at} />
      <JobKeep bind:job {at} />
      <JobTell bind:job channels={channels.value?.items ?? []} {at} />
      <JobPacking bind:job {at} />
      <div class="p-4">
        <ErrorMessage problem={doing.problem} />
        <div class="flex flex-wrap gap-3">
          <Button type="submit" disabled={unready}>Save and start now</Button>
          <Button color="alternative" onclick={() => save(false)} disabled={unready}>Save</Button>
          <Button color="alternative" href="#/jobs">Cancel</Button>
        </div>
      </div>
    </form>
    <div class="space-y-4">
      <JobSummaryPanel summary={summary.value} {wrong} zone={job.zone} />
      {#if job.contents.includes('files') && summary.value && !wrong}
        <PreviewPanel {job} covers={summary.value.covers} />
      {/if}
      {#if job.stores.length && summary.value && !wrong}<SimulationPanel {job} />{/if}
      {#if params.name}
        <JobMore
          {job}
          stores={stores.value?.items ?? []}
          covers={summary.value?.covers ?? []}
          {reload}
        />
      {/if}
    </div>
  </div>
{/if}
<ConfirmDialog
  bind:open={removing}
  title="Remove the job"
  name={params.name ?? ''}
  what="The job’s settings are removed, and it no longer starts. The bundles it made stay on their
    stores, and no keep rule retires them any more."
  action={async () => {
    await jobsRemove(params.name!);
    push('/jobs');
  }}
/>
