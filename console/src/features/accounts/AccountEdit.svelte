<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button, Input, Select } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { accountsAdd, accountsChange, accountsShow, hostsList, kindsList } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import type { AccountForm } from '../../lib/types';
  import DatabaseRows from './DatabaseRows.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import LinesField from '../../ui/fields/LinesField.svelte';
  import MailDomainRows from './MailDomainRows.svelte';
  import NameField, { nameFault } from '../../ui/fields/NameField.svelte';
  import PageHead from '../../ui/PageHead.svelte';
  import SiteRows from './SiteRows.svelte';
  let { params = {} }: { params?: { name?: string } } = $props();
  const blank = (): AccountForm => ({
    name: '',
    host: '',
    home: '',
    sites: [],
    databases: [],
    mail_domains: [],
    excludes: [],
    contact: '',
    tags: [],
  });
  let account = $state<AccountForm>(blank());
  const doing = useAction();
  const hosts = new Loader(async () => (await hostsList({ limit: 500 })).items);
  const kinds = new Loader(kindsList);
  const form = new Loader(async () => {
    if (!params.name) return blank();
    const saved = await accountsShow(params.name);
    const fields = Object.keys(blank()) as (keyof AccountForm)[];
    return Object.fromEntries(fields.map((key) => [key, saved[key]])) as unknown as AccountForm;
  });
  $effect(() => {
    const changed = params.name;
    kinds.load();
    // What is typed into a new form while the hosts are on their way must stay.
    if (!changed) account = blank();
    Promise.all([hosts.load(), form.load()]).then(() => {
      if (changed && form.value) account = form.value;
      account.host ||= hosts.value?.[0]?.name ?? '';
    });
  });
  const homeFault = $derived(
    account.home && !account.home.startsWith('/')
      ? 'Enter an absolute path that starts with “/”.'
      : '',
  );
  async function save(event: Event) {
    event.preventDefault();
    await doing.run(async () => {
      const body = $state.snapshot(account);
      const saved = await (params.name ? accountsChange(params.name, body) : accountsAdd(body));
      push(`/accounts/${saved.name}`);
    });
  }
</script>

<PageHead title={params.name ? `Change ${params.name}` : 'Add an account'} />
<ErrorMessage problem={form.problem ?? hosts.problem ?? kinds.problem} />
{#if hosts.loaded && !hosts.value?.length && !hosts.problem}
  <p class="mb-3">
    No hosts yet. <a class="link" href="#/hosts/new">Add one</a> first.
  </p>
{/if}
<form onsubmit={save} class="sheet max-w-4xl p-5">
  <div class="grid gap-x-5 sm:grid-cols-3">
    <NameField bind:value={account.name} problem={doing.problem} placeholder="millpond" />
    <FormField label="Host" id="host" wrong={doing.problem?.at('host')}>
      <Select
        id="host"
        placeholder=""
        items={(hosts.value ?? []).map((host) => ({ value: host.name, name: host.name }))}
        bind:value={account.host}
      />
    </FormField>
    <FormField label="Home folder" id="home" wrong={homeFault || doing.problem?.at('home')}>
      <Input id="home" bind:value={account.home} placeholder="/home/millpond" required />
    </FormField>
  </div>
  <SiteRows bind:account wrong={doing.problem?.at('sites')} />
  <DatabaseRows bind:account kinds={kinds.value} wrong={doing.problem?.at('databases')} />
  <MailDomainRows bind:account wrong={doing.problem?.at('mail_domains')} />
  <FormField
    label="Exclude from all of its bundles"
    id="excludes"
    hint="Patterns as in .gitignore, one per line."
    wrong={doing.problem?.at('excludes')}
  >
    <LinesField id="excludes" bind:value={account.excludes} placeholder="/old-uploads/" />
  </FormField>
  <FormField
    label="Contact"
    id="contact"
    hint="Notified about this account, if a job notifies contacts."
    wrong={doing.problem?.at('contact')}
  >
    <Input
      id="contact"
      type="email"
      bind:value={account.contact}
      placeholder="owner@millpond.example"
    />
  </FormField>
  <FormField
    label="Tags"
    id="tags"
    hint="Names such as “shops”, one per line. A job can select all accounts with a tag."
    wrong={doing.problem?.at('tags')}
  >
    <LinesField id="tags" bind:value={account.tags} placeholder="shops" />
  </FormField>
  <ErrorMessage problem={doing.problem} />
  <div class="flex gap-3">
    <Button type="submit" disabled={!!nameFault(account.name) || !!homeFault}>Save</Button>
    <Button color="alternative" href="#/accounts{params.name ? `/${params.name}` : ''}">
      Cancel
    </Button>
  </div>
</form>
