<script lang="ts">
  // Which subjects, and which contents of them.
  import { untrack } from 'svelte';
  import { Checkbox, Radio, Select } from 'flowbite-svelte';
  import { accountsList, hostsList, sitesList } from '../../../lib/calls';
  import { Loader } from '../../../lib/loader.svelte';
  import type { JobForm } from '../../../lib/types';
  import { toggled } from '../../../lib/words';
  import ErrorMessage from '../../../ui/ErrorMessage.svelte';
  import FieldFault from '../../../ui/fields/FieldFault.svelte';
  import FormField from '../../../ui/fields/FormField.svelte';
  import FormSection from '../../../ui/fields/FormSection.svelte';
  import DatabaseRules from '../fields/DatabaseRules.svelte';
  import FileRules from '../fields/FileRules.svelte';
  import JobCommands from './JobCommands.svelte';
  import LinesField from '../../../ui/fields/LinesField.svelte';
  let { job = $bindable(), at }: { job: JobForm; at: (field: string) => string } = $props();
  type Kind = JobForm['contents'][number];
  const SUBJECTS = [
    ['accounts', 'Accounts'],
    ['sites', 'Sites'],
    ['hosts', 'Hosts themselves'],
  ] as const;
  const OF_HOSTS: [Kind, string][] = [
    ['system', 'System settings'],
    ['databases', 'All databases'],
    ['notes', 'Notes'],
  ];
  const OF_ACCOUNTS: [Kind, string][] = [
    ['files', 'Files'],
    ['databases', 'Databases'],
    ['mail', 'Mail settings'],
    ['system', 'System settings'],
    ['notes', 'Notes'],
  ];
  const CHOICES = [
    { value: 'all', name: 'all' },
    { value: 'listed', name: 'those listed' },
    { value: 'all_but', name: 'all except those listed' },
  ];
  const LISTS = { accounts: accountsList, sites: sitesList, hosts: hostsList };
  const known = new Loader(async () => {
    const page = await LISTS[job.subjects]({ limit: 500 });
    return page.items.map((item) => item.name);
  });
  $effect(() => {
    void job.subjects;
    known.load();
  });
  const isName = (text: string) => !/[:*?]/.test(text);
  let listed = $state<string[]>([]);
  let selectors = $state<string[]>([]);
  $effect(() => {
    const all = job.names;
    untrack(() => {
      if (all.join() === [...listed, ...selectors].join()) return;
      listed = all.filter(isName);
      selectors = all.filter((text) => !isName(text));
    });
  });
  function choose(names: string[], others: string[]) {
    [listed, selectors] = [names, others];
    job.names = [...names, ...others];
  }
  const names = $derived([...new Set([...(known.value ?? []), ...listed])]);
  const hasRules = $derived(
    job.rules.sets.length + job.rules.excludes.length + job.rules.includes.length > 0,
  );
  function changeSubjects() {
    job.names = [];
    job.contents = job.subjects === 'hosts' ? ['system'] : ['files', 'databases', 'mail'];
  }
</script>

<FormSection title="What">
  <div class="mb-3 flex flex-wrap gap-5">
    {#each SUBJECTS as [value, title] (value)}
      <Radio name="subjects" {value} bind:group={job.subjects} onchange={changeSubjects}>
        {title}
      </Radio>
    {/each}
    <div class="w-48">
      <Select aria-label="Which" size="sm" placeholder="" items={CHOICES} bind:value={job.choice} />
    </div>
  </div>
  <ErrorMessage problem={known.problem} />
  {#if job.choice !== 'all'}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div
      class="mb-3 grid max-h-44 gap-1 overflow-y-auto sm:grid-cols-2"
      role="group"
      tabindex="0"
      aria-label="Names"
    >
      {#each names as name (name)}
        <Checkbox
          checked={listed.includes(name)}
          onchange={() => choose(toggled(listed, name), selectors)}>{name}</Checkbox
        >
      {/each}
    </div>
    <FormField
      label="Include matching accounts, also those added later"
      id="selectors"
      hint="One per line: a pattern such as shop-*, host:NAME, or tag:NAME."
      wrong={at('names') || at('subjects')}
    >
      <LinesField
        id="selectors"
        bind:value={() => selectors, (lines) => choose(listed, lines)}
        placeholder="host:reed-1"
      />
    </FormField>
  {/if}
  <div class="flex flex-wrap gap-5">
    {#each job.subjects === 'hosts' ? OF_HOSTS : OF_ACCOUNTS as [kind, title] (kind)}
      <Checkbox
        checked={job.contents.includes(kind)}
        onchange={() => (job.contents = toggled(job.contents, kind))}>{title}</Checkbox
      >
      {#if kind === 'mail' && job.contents.includes('mail')}
        <Checkbox bind:checked={job.messages}>including messages</Checkbox>
      {/if}
    {/each}
  </div>
  <FieldFault text={at('contents')} />
  {#if job.contents.includes('files')}
    <details class="mt-3" open={hasRules}>
      <summary class="cursor-pointer">Includes and excludes</summary>
      <div class="mt-2"><FileRules bind:rules={job.rules} {at} /></div>
    </details>
  {/if}
  {#if job.contents.includes('databases')}
    <details class="mt-2">
      <summary class="cursor-pointer">Databases and tables</summary>
      <div class="mt-2"><DatabaseRules bind:rules={job.databases} {at} /></div>
    </details>
  {/if}
  <details class="mt-2" open={job.notes.length + job.commands.length > 0}>
    <summary class="cursor-pointer">Notes, commands, hold page</summary>
    <div class="mt-2"><JobCommands bind:job {at} /></div>
  </details>
</FormSection>
