<script lang="ts">
  import { Button, Input, Select } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { call, Problem } from '../lib/api.svelte';
  import type { Account, Host, Page } from '../lib/types';
  import Field from '../parts/Field.svelte';
  import Lines from '../parts/Lines.svelte';
  import Trouble from '../parts/Trouble.svelte';
  let { params = {} }: { params?: { name?: string } } = $props();
  let hosts = $state<Host[]>([]);
  let draft = $state<
    Omit<Account, 'covered_by' | 'newest' | 'newest_bytes' | 'bundles' | 'gone_since'>
  >({ name: '', host: '', home: '', sites: [], databases: [], mail_domains: [], excludes: [] });
  let problem = $state<Problem | null>(null);
  const badName = $derived(
    draft.name && !/^[a-z0-9]([a-z0-9._-]*[a-z0-9])?$/.test(draft.name)
      ? 'Use small letters, digits, dots, dashes and underscores.'
      : '',
  );
  const badHome = $derived(
    draft.home && !draft.home.startsWith('/')
      ? 'Write an absolute folder, from the first slash on.'
      : '',
  );

  async function load() {
    hosts = (await call<Page<Host>>('GET', '/hosts')).items;
    if (params.name) {
      const { name, host, home, sites, databases, mail_domains, excludes } = await call<Account>(
        'GET',
        `/accounts/${params.name}`,
      );
      draft = { name, host, home, sites, databases, mail_domains, excludes };
    } else draft.host ||= hosts[0]?.name ?? '';
  }
  $effect(() => {
    void params.name;
    load().catch((e) => (problem = e));
  });
  async function save(event: Event) {
    event.preventDefault();
    try {
      const body = $state.snapshot(draft);
      const saved = params.name
        ? await call<Account>('PUT', `/accounts/${params.name}`, body)
        : await call<Account>('POST', '/accounts', body);
      push(`/accounts/${saved.name}`);
    } catch (error) {
      problem = error as Problem;
    }
  }
</script>

<h1 class="mb-3">{params.name ? `Change ${params.name}` : 'Add an account'}</h1>
{#if !hosts.length && !problem}<p class="mb-3">
    There is no host yet. <a class="link" href="#/hosts/new">Add one</a> first.
  </p>{/if}
<form onsubmit={save} class="sheet max-w-4xl p-5">
  <div class="grid gap-x-5 sm:grid-cols-3">
    <Field label="Name" id="name" wrong={badName || problem?.at('name')}
      ><Input id="name" bind:value={draft.name} required /></Field
    >
    <Field label="Host" id="host" wrong={problem?.at('host')}
      ><Select
        id="host"
        placeholder=""
        items={hosts.map((h) => ({ value: h.name, name: h.name }))}
        bind:value={draft.host}
      /></Field
    >
    <Field label="Home folder" id="home" wrong={badHome || problem?.at('home')}
      ><Input id="home" bind:value={draft.home} placeholder="/home/millpond" required /></Field
    >
  </div>
  <fieldset class="mt-2">
    <legend class="font-semibold">Sites</legend>
    {#each draft.sites as site, n}
      <div class="mb-2 grid grid-cols-[1fr_2fr_auto] gap-2">
        <Input aria-label="Domain" bind:value={site.name} placeholder="millpond.example" /><Input
          aria-label="Document root"
          bind:value={site.root}
          placeholder="{draft.home || '/home/millpond'}/public"
        /><Button size="xs" color="alternative" onclick={() => draft.sites.splice(n, 1)}
          >Take out</Button
        >
      </div>
    {/each}
    {#if problem?.at('sites')}<p role="alert" class="text-sm text-brick">
        ■ {problem.at('sites')}
      </p>{/if}
    <Button
      size="xs"
      color="alternative"
      onclick={() => draft.sites.push({ name: '', root: draft.home })}>Add a site</Button
    >
  </fieldset>
  <fieldset class="mt-4">
    <legend class="font-semibold">Databases</legend>
    {#each draft.databases as d, n}
      <div class="mb-2 grid grid-cols-[8rem_1fr_2fr_1fr_auto] gap-2">
        <Select
          aria-label="Engine"
          placeholder=""
          items={[
            { value: 'sqlite', name: 'SQLite' },
            { value: 'mariadb', name: 'MariaDB' },
          ]}
          bind:value={d.engine}
        />
        <Input aria-label="Database name" bind:value={d.name} /><Input
          aria-label="Path below the home"
          bind:value={d.path}
          placeholder="path below the home"
          disabled={d.engine !== 'sqlite'}
        />
        <Select
          aria-label="Used by site"
          placeholder=""
          items={[
            { value: null, name: 'no one site' },
            ...draft.sites.map((s) => ({ value: s.name, name: s.name })),
          ]}
          bind:value={d.site}
        />
        <Button size="xs" color="alternative" onclick={() => draft.databases.splice(n, 1)}
          >Take out</Button
        >
      </div>
    {/each}
    {#if problem?.at('databases')}<p role="alert" class="text-sm text-brick">
        ■ {problem.at('databases')}
      </p>{/if}
    <Button
      size="xs"
      color="alternative"
      onclick={() => draft.databases.push({ engine: 'sqlite', name: '', path: '', site: null })}
      >Add a database</Button
    >
  </fieldset>
  <fieldset class="mt-4 mb-4">
    <legend class="font-semibold">Mail domains</legend>
    {#each draft.mail_domains as _, n}
      <div class="mb-2 grid max-w-md grid-cols-[1fr_auto] gap-2">
        <Input aria-label="Mail domain" bind:value={draft.mail_domains[n]} /><Button
          size="xs"
          color="alternative"
          onclick={() => draft.mail_domains.splice(n, 1)}>Take out</Button
        >
      </div>
    {/each}
    <Button size="xs" color="alternative" onclick={() => draft.mail_domains.push('')}
      >Add a mail domain</Button
    >
  </fieldset>
  <Field
    label="Leave out of every bundle of it"
    id="excludes"
    hint="Patterns of .gitignore, one a line."
    wrong={problem?.at('excludes')}
    ><Lines id="excludes" bind:value={draft.excludes} placeholder="/old-uploads/" /></Field
  >
  <Trouble {problem} />
  <div class="flex gap-3">
    <Button type="submit" disabled={!!badName || !!badHome}>Save</Button><Button
      color="alternative"
      href={params.name ? `#/accounts/${params.name}` : '#/accounts'}>Leave</Button
    >
  </div>
</form>
