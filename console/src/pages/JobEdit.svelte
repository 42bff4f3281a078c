<script lang="ts">
  import { Button, Checkbox, Input, Radio, Select, Textarea, Toggle } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { call, Problem } from '../lib/api.svelte';
  import type { Account, Job, JobRow, Page, JobSummary, Site, Store } from '../lib/types';
  import Field from '../parts/Field.svelte';
  import JobAround from '../parts/JobAround.svelte';
  import JobDatabases from '../parts/JobDatabases.svelte';
  import JobPreview from '../parts/JobPreview.svelte';
  import JobRules from '../parts/JobRules.svelte';
  import JobBeside from '../parts/JobBeside.svelte';
  import Sure from '../parts/Sure.svelte';
  import Trouble from '../parts/Trouble.svelte';
  let { params = {} }: { params?: { name?: string } } = $props();
  const MIB = 1024 * 1024;
  const blank = (): Job => ({
    name: '',
    subjects: 'accounts',
    choice: 'all',
    names: [],
    contents: ['files', 'databases', 'mail'],
    messages: false,
    stores: [],
    timetable: 'daily 02:15',
    zone: Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC',
    keep: 7,
    report_to: [],
    report_when: 'always',
    compression: 'zstd',
    level: null,
    piece_size: 256 * MIB,
    enabled: true,
    notes: [],
    commands: [],
    hold_page: false,
    promise: 0,
    mode: 'full',
    full_every: 30,
    dead_share: 50,
    compare_every: 0,
    rules: {
      includes: [],
      excludes: [],
      sets: [],
      larger_than: 0,
      older_than: 0,
      one_file_system: false,
      skip_tagged_caches: false,
      ignore_file: '',
    },
    databases: {
      names: [],
      without: [],
      tables: [],
      without_tables: [],
      without_rows: [],
      structure_only: false,
      check_tables: false,
    },
  });
  const KINDS: Record<string, [string, string][]> = {
    hosts: [
      ['system', 'System settings'],
      ['databases', 'All databases'],
      ['notes', 'Notes'],
    ],
    accounts: [
      ['files', 'Files'],
      ['databases', 'Databases'],
      ['mail', 'Mail settings'],
      ['system', 'System settings'],
      ['notes', 'Notes'],
    ],
  };
  function turn() {
    job.names = [];
    job.contents = job.subjects === 'hosts' ? ['system'] : ['files', 'databases', 'mail'];
  }
  let job = $state<Job>(blank());
  const kinds = $derived(KINDS[job.subjects] ?? KINDS.accounts);
  let tell = $state('');
  let level = $state('');
  let pieces = $state('256');
  let keep = $state('7');
  let stores = $state<Store[]>([]);
  let names = $state<string[]>([]);
  let problem = $state<Problem | null>(null);
  let summary = $state<JobSummary | null>(null);
  let wrong = $state<Problem | null>(null);
  let removing = $state(false);
  let ready = $state(false);

  async function load() {
    ready = false;
    stores = (await call<Page<Store>>('GET', '/stores?limit=500')).items;
    if (params.name) {
      const row = await call<JobRow>('GET', `/jobs/${params.name}`);
      job = Object.fromEntries(
        Object.keys(blank()).map((k) => [k, row[k as keyof JobRow]]),
      ) as unknown as Job;
      tell = job.report_to.join('\n');
      level = job.level == null ? '' : String(job.level);
      pieces = String(Math.round(job.piece_size / MIB));
      keep = String(job.keep);
    } else {
      job = blank();
      if (stores.length === 1) job.stores = [stores[0].name];
    }
    ready = true;
  }
  $effect(() => {
    void params.name;
    load().catch((e) => (problem = e));
  });
  $effect(() => {
    const kind = job.subjects;
    call<Page<Account | Site>>('GET', `/${kind}?limit=500`)
      .then((page) => (names = page.items.map((i) => i.name)))
      .catch(() => {});
  });

  const body = $derived<Job>({
    ...job,
    report_to: tell.split(/[\s,;]+/).filter(Boolean),
    level: level ? Number(level) : null,
    piece_size: Math.round(Number(pieces) * MIB) || 0,
    keep: Math.round(Number(keep)) || 0,
    name: job.name || 'unnamed',
  });
  // Asked of the service while it is filled in: its words are the ones that count.
  $effect(() => {
    const draft = JSON.stringify(body);
    if (!ready) return;
    const timer = setTimeout(async () => {
      try {
        summary = await call('POST', '/jobs/summary', JSON.parse(draft));
        wrong = null;
      } catch (error) {
        wrong = error as Problem;
      }
    }, 350);
    return () => clearTimeout(timer);
  });
  const ruled = $derived(
    job.rules.sets.length + job.rules.excludes.length + job.rules.includes.length > 0,
  );
  const at = (field: string) => problem?.at(field) || wrong?.at(field) || '';
  const badName = $derived(
    job.name && !/^[a-z0-9]([a-z0-9._-]*[a-z0-9])?$/.test(job.name)
      ? 'Use small letters, digits, dots, dashes and underscores.'
      : '',
  );

  async function save(start: boolean) {
    problem = null;
    try {
      const sent = $state.snapshot({ ...body, name: job.name });
      const saved = params.name
        ? await call<JobRow>('PUT', `/jobs/${params.name}`, sent)
        : await call<JobRow>('POST', '/jobs', sent);
      if (start)
        push(`/runs/${(await call<{ id: number }>('POST', `/jobs/${saved.name}/start`)).id}`);
      else push('/jobs');
    } catch (error) {
      problem = error as Problem;
    }
  }
  const flip = (list: string[], name: string) =>
    list.includes(name) ? list.filter((n) => n !== name) : [...list, name];
</script>

<div class="mb-3 flex items-center gap-3">
  <h1 class="mr-auto">{params.name ? `Job ${params.name}` : 'Add a job'}</h1>
  {#if params.name}<a class="link text-sm" href="#/runs?job={params.name}">Its runs</a><Button
      size="sm"
      color="alternative"
      onclick={() => (removing = true)}>Remove</Button
    >{/if}
</div>
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
        <Field
          label="Name"
          id="name"
          hint="Bundles carry it, so it stays."
          wrong={badName || problem?.at('name')}
          ><Input id="name" bind:value={job.name} placeholder="nightly" required /></Field
        >
      </div>
    {/if}
    <fieldset class="grid grid-cols-1 p-4">
      <legend class="float-left mb-2 w-full text-base font-semibold">What</legend>
      <div class="mb-3 flex flex-wrap gap-5">
        <Radio name="subjects" value="accounts" bind:group={job.subjects} onchange={turn}
          >Accounts</Radio
        >
        <Radio name="subjects" value="sites" bind:group={job.subjects} onchange={turn}>Sites</Radio>
        <Radio name="subjects" value="hosts" bind:group={job.subjects} onchange={turn}
          >Hosts themselves</Radio
        >
        <div class="w-40">
          <Select
            aria-label="Which"
            size="sm"
            placeholder=""
            items={[
              { value: 'all', name: 'all' },
              { value: 'listed', name: 'those listed' },
              { value: 'all_but', name: 'all but' },
            ]}
            bind:value={job.choice}
          />
        </div>
      </div>
      {#if job.choice !== 'all'}
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <div
          class="mb-3 grid max-h-44 gap-1 overflow-y-auto sm:grid-cols-2"
          role="group"
          tabindex="0"
          aria-label="Names"
        >
          {#each [...new Set([...names, ...job.names])] as name (name)}<Checkbox
              checked={job.names.includes(name)}
              onchange={() => (job.names = flip(job.names, name))}>{name}</Checkbox
            >{/each}
        </div>
        {#if at('names') || at('subjects')}<p role="alert" class="mb-2 text-sm text-brick">
            ■ {at('names') || at('subjects')}
          </p>{/if}
      {/if}
      <div class="flex flex-wrap gap-5">
        {#each kinds as [kind, word] (kind)}
          <Checkbox
            checked={job.contents.includes(kind)}
            onchange={() => (job.contents = flip(job.contents, kind))}>{word}</Checkbox
          >
          {#if kind === 'mail' && job.contents.includes('mail')}<Checkbox
              bind:checked={job.messages}>and the messages</Checkbox
            >{/if}
        {/each}
      </div>
      {#if at('contents')}<p role="alert" class="mt-1 text-sm text-brick">
          ■ {at('contents')}
        </p>{/if}
      {#if job.contents.includes('files')}<details class="mt-3" open={ruled}>
          <summary class="cursor-pointer">Includes and excludes</summary>
          <div class="mt-2"><JobRules bind:rules={job.rules} {at} /></div>
        </details>{/if}
      {#if job.contents.includes('databases')}<details class="mt-2">
          <summary class="cursor-pointer">Which databases, tables and rows</summary>
          <div class="mt-2"><JobDatabases bind:rules={job.databases} {at} /></div>
        </details>{/if}
      <details class="mt-2" open={job.notes.length + job.commands.length > 0}>
        <summary class="cursor-pointer">Notes, commands around it, hold page</summary>
        <div class="mt-2"><JobAround bind:job {at} /></div>
      </details>
    </fieldset>
    <fieldset class="grid grid-cols-1 p-4">
      <legend class="float-left mb-2 w-full text-base font-semibold">Where</legend>
      {#each stores as store (store.name)}
        <Checkbox
          class="mb-1"
          checked={job.stores.includes(store.name)}
          onchange={() => (job.stores = flip(job.stores, store.name))}
          >{store.name}
          <span class="ml-2 min-w-0 text-sm wrap-anywhere text-faint">{store.where}</span></Checkbox
        >
      {:else}<p class="text-faint">
          No store yet. <a class="link" href="#/stores/new">Add one</a>.
        </p>{/each}
      {#if at('stores')}<p role="alert" class="text-sm text-brick">
          ■ {job.stores.length ? at('stores') : 'Choose at least one store.'}
        </p>{/if}
    </fieldset>
    <fieldset class="grid gap-x-5 p-4 sm:grid-cols-2">
      <legend class="float-left mb-2 w-full text-base font-semibold sm:col-span-2">When</legend>
      <Field
        label="Timetable"
        id="timetable"
        hint="daily 02:15, hourly :15, weekdays 02:15, weekly sun 03:00, monthly 1 04:00, by hand, or a cron expression"
        wrong={at('timetable')}><Input id="timetable" bind:value={job.timetable} /></Field
      >
      <Field label="Time zone" id="zone" wrong={at('zone')}
        ><Input id="zone" bind:value={job.zone} /></Field
      >
      <Toggle bind:checked={job.enabled}>The timetable counts</Toggle>
    </fieldset>
    <fieldset class="grid gap-x-5 p-4 sm:grid-cols-2">
      <legend class="float-left mb-2 w-full text-base font-semibold sm:col-span-2">Keep</legend>
      <Field label="Newest copies that stay, on each store" id="keep" wrong={at('keep')}
        ><Input id="keep" type="number" min="1" bind:value={keep} /></Field
      >
      <Field
        label="Each bundle brings"
        id="mode"
        hint="Every bundle looks and restores complete, whichever it is."
        ><Select
          id="mode"
          placeholder=""
          items={[
            { value: 'full', name: 'all its bytes (full)' },
            { value: 'incremental', name: 'only what changed (incremental)' },
          ]}
          bind:value={job.mode}
        /></Field
      >
      {#if job.mode === 'incremental'}
        <Field label="A new full bundle after (days)" id="full-every" wrong={at('full_every')}
          ><Input id="full-every" type="number" min="1" bind:value={job.full_every} /></Field
        >
        <Field
          label="or when more than (percent) is needed no more"
          id="dead-share"
          wrong={at('dead_share')}
          ><Input
            id="dead-share"
            type="number"
            min="5"
            max="100"
            bind:value={job.dead_share}
          /></Field
        >
        <Field
          label="Compare contents every so many bundles"
          id="compare-every"
          hint="0: sizes and times are trusted."
          wrong={at('compare_every')}
          ><Input id="compare-every" type="number" min="0" bind:value={job.compare_every} /></Field
        >
      {/if}
    </fieldset>
    <fieldset class="grid gap-x-5 p-4 sm:grid-cols-2">
      <legend class="float-left mb-2 w-full text-base font-semibold sm:col-span-2">Tell</legend>
      <Field label="Report addresses" id="tell" hint="One a line." wrong={at('report_to')}
        ><Textarea id="tell" rows={2} class="w-full" bind:value={tell} /></Field
      >
      <Field label="Tell them" id="tell-when"
        ><Select
          id="tell-when"
          placeholder=""
          items={[
            { value: 'always', name: 'after each run' },
            { value: 'trouble', name: 'only when something is wrong' },
          ]}
          bind:value={job.report_when}
        /></Field
      >
    </fieldset>
    <details class="p-4">
      <summary class="cursor-pointer font-semibold">Packing</summary>
      <div class="mt-3 grid gap-x-5 sm:grid-cols-3">
        <Field label="Compression" id="compression"
          ><Select
            id="compression"
            placeholder=""
            items={[
              { value: 'zstd', name: 'zstd' },
              { value: 'gzip', name: 'gzip' },
              { value: 'none', name: 'none' },
            ]}
            bind:value={job.compression}
          /></Field
        >
        <Field label="Level" id="level" hint="Empty: the default." wrong={at('level')}
          ><Input id="level" type="number" bind:value={level} /></Field
        >
        <Field label="Split pieces at (MiB)" id="pieces" wrong={at('piece_size')}
          ><Input id="pieces" type="number" min="1" bind:value={pieces} /></Field
        >
      </div>
    </details>
    <div class="p-4">
      <Trouble {problem} />
      <div class="flex flex-wrap gap-3">
        <Button type="submit" disabled={!!badName || !job.name}>Save and start now</Button>
        <Button color="alternative" onclick={() => save(false)} disabled={!!badName || !job.name}
          >Save</Button
        >
        <Button color="alternative" href="#/jobs">Leave</Button>
      </div>
    </div>
  </form>
  <div class="space-y-4">
    <JobBeside {summary} {wrong} zone={job.zone} />
    {#if job.contents.includes('files') && summary && !wrong}<JobPreview
        job={body}
        covers={summary.covers}
      />{/if}
  </div>
</div>
<Sure
  bind:open={removing}
  title="Remove the job"
  name={params.name ?? ''}
  what="The job’s settings go, and it starts no more. The bundles it made stay on their stores, and no keep rule retires them any more."
  action={async () => {
    await call('DELETE', `/jobs/${params.name}`);
    push('/jobs');
  }}
/>
