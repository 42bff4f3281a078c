<script lang="ts">
  import { Button, Checkbox, Input, Radio, Textarea } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { call, Problem, query } from '../lib/api.svelte';
  import type { Host, Tried } from '../lib/types';
  import { count } from '../lib/words';
  import Field from '../parts/Field.svelte';
  import Lines from '../parts/Lines.svelte';
  import Sure from '../parts/Sure.svelte';
  import TriedSheet from '../parts/TriedSheet.svelte';
  import Trouble from '../parts/Trouble.svelte';
  let { params = {} }: { params?: { name?: string } } = $props();
  const blank = () => ({
    name: '',
    kind: 'local' as 'local' | 'ssh',
    address: '',
    port: '22',
    user: 'root',
    host_key: '',
    at_once: '1',
    system: [] as string[],
    account_system: [] as string[],
    hold_flag: '',
    mail: {
      alias_map: '',
      mailbox_map: '',
      transport_map: '',
      passwd_file: '',
      home: '',
      dkim: '',
      refresh: [] as string[],
    },
    finding: {
      homes: [] as string[],
      sites: [] as string[],
      nginx: [] as string[],
      apache: [] as string[],
      database_prefix: '',
      by_grants: false,
      sqlite: false,
      mail: false,
      leave_out: [] as string[],
      automatic: false,
      forget_after: 0,
    },
  });
  let draft = $state(blank());
  let database = $state({ socket: '', address: '', port: '3306', user: '' });
  let secrets = $state({ mariadb_password: '', password: '', private_key: '', passphrase: '' });
  let saved = $state<Host | null>(null);
  let tried = $state<Tried | null>(null);
  let problem = $state<Problem | null>(null);
  let busy = $state(false);
  let removing = $state(false);
  const badName = $derived(
    draft.name && !/^[a-z0-9]([a-z0-9._-]*[a-z0-9])?$/.test(draft.name)
      ? 'Use small letters, digits, dots, dashes and underscores.'
      : '',
  );

  async function load() {
    if (!params.name) return;
    saved = await call<Host>('GET', `/hosts/${params.name}`);
    const {
      name,
      kind,
      address,
      port,
      user,
      host_key,
      at_once,
      system,
      account_system,
      hold_flag,
      mail,
      finding,
    } = saved;
    draft = {
      name,
      kind,
      address,
      port: String(port),
      user,
      host_key,
      at_once: String(at_once),
      system,
      account_system,
      hold_flag,
      mail,
      finding,
    };
    const m = saved.mariadb;
    database = {
      socket: m?.socket ?? '',
      address: m?.address ?? '',
      port: String(m?.port ?? 3306),
      user: m?.user ?? '',
    };
  }
  $effect(() => {
    void params.name;
    load().catch((e) => (problem = e));
  });
  const body = () => ({
    ...$state.snapshot(draft),
    port: Number(draft.port) || 22,
    at_once: Number(draft.at_once) || 1,
    address: draft.kind === 'ssh' ? draft.address : '',
    mariadb:
      database.socket || database.address
        ? { ...$state.snapshot(database), port: Number(database.port) || 3306 }
        : null,
    secrets: Object.fromEntries(Object.entries($state.snapshot(secrets)).filter(([, v]) => v)),
  });
  const had = (name: string) =>
    saved?.secrets_set.includes(name) ? 'Set; leave empty to keep it.' : '';
  async function tryOut(): Promise<boolean> {
    busy = true;
    problem = null;
    tried = null;
    try {
      tried = await call<Tried>('POST', '/hosts/try' + query({ saved: params.name }), body());
    } catch (error) {
      problem = error as Problem;
    }
    busy = false;
    return tried?.ok ?? false;
  }
  async function save(event: Event) {
    event.preventDefault();
    if (!(await tryOut())) return;
    try {
      if (params.name) await call('PUT', `/hosts/${params.name}`, body());
      else await call('POST', '/hosts', body());
      push(draft.finding.homes.length ? `/hosts/${draft.name}/finding` : '/accounts');
    } catch (error) {
      problem = error as Problem;
    }
  }
</script>

<div class="mb-3 flex flex-wrap items-center gap-3">
  <h1 class="mr-auto">{params.name ? `Host ${params.name}` : 'Add a host'}</h1>
  {#if saved?.finding.homes.length}<Button
      size="sm"
      color="alternative"
      href="#/hosts/{params.name}/finding">Find its accounts</Button
    >{/if}
  {#if params.name}<Button size="sm" color="alternative" onclick={() => (removing = true)}
      >Remove</Button
    >{/if}
</div>
<div class="grid grid-cols-1 gap-5 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
  <form onsubmit={save} class="sheet divide-y divide-rule">
    <div class="p-4">
      <div class="grid gap-x-5 sm:grid-cols-[2fr_1fr]">
        <Field label="Name" id="name" wrong={badName || problem?.at('name')}
          ><Input
            id="name"
            bind:value={draft.name}
            placeholder="reed-1"
            required
            disabled={!!params.name}
          /></Field
        >
        <Field label="Tasks side by side" id="at-once" wrong={problem?.at('at_once')}
          ><Input id="at-once" type="number" min="1" bind:value={draft.at_once} /></Field
        >
      </div>
      <div class="mb-3 flex flex-wrap gap-6">
        <Radio name="kind" value="local" bind:group={draft.kind}>This machine</Radio><Radio
          name="kind"
          value="ssh"
          bind:group={draft.kind}>Another machine, over SSH</Radio
        >
      </div>
      {#if draft.kind === 'ssh'}
        <p class="mb-2 text-sm text-faint">
          Nothing is installed there. A shell, find and tar are used where they are; else plain
          SFTP.
        </p>
        <div class="grid gap-x-5 sm:grid-cols-[2fr_1fr_1fr]">
          <Field label="Address" id="address" wrong={problem?.at('address')}
            ><Input
              id="address"
              bind:value={draft.address}
              placeholder="reed-2.sedge-quill.example"
              required
            /></Field
          >
          <Field label="Port" id="port" wrong={problem?.at('port')}
            ><Input id="port" bind:value={draft.port} /></Field
          >
          <Field label="User" id="user" wrong={problem?.at('user')}
            ><Input id="user" bind:value={draft.user} required /></Field
          >
        </div>
        <Field
          label="Private key (OpenSSH form)"
          id="private-key"
          hint={had('private_key')}
          wrong={problem?.at('private_key')}
          ><Textarea
            id="private-key"
            rows={3}
            class="w-full font-mono"
            bind:value={secrets.private_key}
          /></Field
        >
        <div class="grid gap-x-5 sm:grid-cols-2">
          <Field
            label="Its passphrase"
            id="passphrase"
            hint={had('passphrase')}
            wrong={problem?.at('passphrase')}
            ><Input
              id="passphrase"
              type="password"
              autocomplete="off"
              bind:value={secrets.passphrase}
            /></Field
          >
          <Field
            label="or a password"
            id="password"
            hint={had('password')}
            wrong={problem?.at('password')}
            ><Input
              id="password"
              type="password"
              autocomplete="off"
              bind:value={secrets.password}
            /></Field
          >
        </div>
        <Field
          label="Accepted host key"
          id="host-key"
          hint="Leave it empty and try: it is shown, to be compared and accepted."
          wrong={problem?.at('host_key')}
          ><Input
            id="host-key"
            bind:value={draft.host_key}
            placeholder="SHA256:…"
            class="font-mono"
          /></Field
        >
      {/if}
    </div>
    <details class="p-4" open={!!(database.socket || database.address)}>
      <summary class="cursor-pointer font-semibold">Database server</summary>
      <div class="mt-3 grid gap-x-5 sm:grid-cols-2">
        <Field label="MariaDB socket" id="db-socket" wrong={problem?.at('mariadb.socket')}
          ><Input
            id="db-socket"
            bind:value={database.socket}
            placeholder="/run/mysqld/mysqld.sock"
          /></Field
        >
        <div class="grid grid-cols-[2fr_1fr] gap-x-3">
          <Field label="or its address" id="db-address"
            ><Input id="db-address" bind:value={database.address} placeholder="127.0.0.1" /></Field
          ><Field label="Port" id="db-port"><Input id="db-port" bind:value={database.port} /></Field
          >
        </div>
        <Field label="User" id="db-user" hint="It needs SELECT, SHOW VIEW, TRIGGER and EVENT."
          ><Input id="db-user" bind:value={database.user} autocomplete="off" /></Field
        >
        <Field label="Password" id="db-password" hint={had('mariadb_password')}
          ><Input
            id="db-password"
            type="password"
            autocomplete="off"
            bind:value={secrets.mariadb_password}
          /></Field
        >
      </div>
    </details>
    <details class="p-4" open={draft.finding.homes.length > 0}>
      <summary class="cursor-pointer font-semibold">Where its accounts are found</summary>
      <div class="mt-3 grid gap-x-5 sm:grid-cols-2">
        <Field
          label="Homes"
          id="homes"
          hint={'With {account} in it, one a line.'}
          wrong={problem?.at('finding.homes')}
          ><Lines
            id="homes"
            bind:value={draft.finding.homes}
            placeholder={'/home/{account}'}
          /></Field
        >
        <Field
          label="Document roots"
          id="roots"
          hint={'With {account} and {site}.'}
          wrong={problem?.at('finding.sites')}
          ><Lines
            id="roots"
            bind:value={draft.finding.sites}
            placeholder={'/home/{account}/sites/{site}'}
          /></Field
        >
        <Field label="or out of nginx configuration" id="nginx" wrong={problem?.at('finding.nginx')}
          ><Lines
            id="nginx"
            bind:value={draft.finding.nginx}
            placeholder="/etc/nginx/sites-enabled/*"
          /></Field
        >
        <Field
          label="or out of Apache configuration"
          id="apache"
          wrong={problem?.at('finding.apache')}
          ><Lines
            id="apache"
            bind:value={draft.finding.apache}
            placeholder="/etc/apache2/sites-enabled/*.conf"
          /></Field
        >
        <Field
          label="Databases begin with"
          id="prefix"
          wrong={problem?.at('finding.database_prefix')}
          ><Input
            id="prefix"
            bind:value={draft.finding.database_prefix}
            placeholder={'{account}_'}
          /></Field
        >
        <Field
          label="Forget what is gone, with its bundles, after (days)"
          id="forget-after"
          hint="0: only when a person says so."
          wrong={problem?.at('finding.forget_after')}
          ><Input
            id="forget-after"
            type="number"
            min="0"
            bind:value={draft.finding.forget_after}
          /></Field
        >
        <Field label="These are no accounts" id="leave-out"
          ><Lines
            id="leave-out"
            bind:value={draft.finding.leave_out}
            placeholder="lost+found"
          /></Field
        >
      </div>
      <div class="grid gap-1 sm:grid-cols-2">
        <Checkbox bind:checked={draft.finding.by_grants}
          >Databases by the grants of the user of its name</Checkbox
        ><Checkbox bind:checked={draft.finding.sqlite}>Look for SQLite databases</Checkbox>
        <Checkbox bind:checked={draft.finding.mail}>Mail domains out of the mail files</Checkbox
        ><Checkbox bind:checked={draft.finding.automatic}
          >Take over what is new or changed every hour</Checkbox
        >
      </div>
    </details>
    <details class="p-4" open={!!draft.mail.alias_map}>
      <summary class="cursor-pointer font-semibold">Mail settings</summary>
      <div class="mt-3 grid gap-x-5 sm:grid-cols-2">
        <Field label="Postfix alias map" id="alias-map" wrong={problem?.at('mail.alias_map')}
          ><Input
            id="alias-map"
            bind:value={draft.mail.alias_map}
            placeholder="/etc/postfix/virtual"
          /></Field
        >
        <Field label="Postfix mailbox map" id="mailbox-map" wrong={problem?.at('mail.mailbox_map')}
          ><Input id="mailbox-map" bind:value={draft.mail.mailbox_map} /></Field
        >
        <Field
          label="Postfix transport map"
          id="transport-map"
          wrong={problem?.at('mail.transport_map')}
          ><Input id="transport-map" bind:value={draft.mail.transport_map} /></Field
        >
        <Field label="Dovecot passwd-file" id="passwd-file" wrong={problem?.at('mail.passwd_file')}
          ><Input
            id="passwd-file"
            bind:value={draft.mail.passwd_file}
            placeholder="/etc/dovecot/users"
          /></Field
        >
        <Field
          label="Home of a mailbox"
          id="mail-home"
          hint={'With {domain} and {user} in it.'}
          wrong={problem?.at('mail.home')}
          ><Input
            id="mail-home"
            bind:value={draft.mail.home}
            placeholder={'/var/vmail/{domain}/{user}'}
          /></Field
        >
        <Field
          label="DKIM keys of a domain"
          id="dkim"
          hint={'With {domain} in it.'}
          wrong={problem?.at('mail.dkim')}
          ><Input
            id="dkim"
            bind:value={draft.mail.dkim}
            placeholder={'/etc/opendkim/keys/{domain}'}
          /></Field
        >
      </div>
      <Field
        label="Commands to run after mail settings came back"
        id="refresh"
        hint="One a line."
        wrong={problem?.at('mail.refresh')}
        ><Lines
          id="refresh"
          bind:value={draft.mail.refresh}
          placeholder="postmap /etc/postfix/virtual"
        /></Field
      >
    </details>
    <details class="p-4" open={draft.system.length + draft.account_system.length > 0}>
      <summary class="cursor-pointer font-semibold">System settings and hold page</summary>
      <div class="mt-3 grid gap-x-5 sm:grid-cols-2">
        <Field
          label="The host’s own settings"
          id="system"
          hint="Patterns, one a line."
          wrong={problem?.at('system')}
          ><Lines id="system" bind:value={draft.system} placeholder="/etc/nginx" /></Field
        >
        <Field
          label="An account’s settings"
          id="account-system"
          hint={'With {account} in it.'}
          wrong={problem?.at('account_system')}
          ><Lines
            id="account-system"
            bind:value={draft.account_system}
            placeholder={'/var/spool/cron/crontabs/{account}'}
          /></Field
        >
      </div>
      <Field
        label="Flag file of a site’s hold page"
        id="hold-flag"
        hint={'With {site} or {account} in it; the web server answers 503 while it is there.'}
        wrong={problem?.at('hold_flag')}
        ><Input
          id="hold-flag"
          bind:value={draft.hold_flag}
          placeholder={'/run/fasciculus-hold/{site}'}
        /></Field
      >
    </details>
    <div class="p-4">
      <Trouble {problem} />
      <div class="flex flex-wrap gap-3">
        <Button type="submit" disabled={busy || !!badName || !draft.name}
          >{busy ? 'Trying …' : 'Try and save'}</Button
        ><Button color="alternative" onclick={tryOut} disabled={busy}>Try only</Button><Button
          color="alternative"
          href="#/accounts">Leave</Button
        >
      </div>
    </div>
  </form>
  <aside class="space-y-4">
    {#if tried}<TriedSheet
        {tried}
        accepted={draft.host_key}
        accept={(key) => {
          draft.host_key = key;
          tryOut();
        }}
      />{/if}
    {#if saved}<section class="sheet p-4">
        <h2 class="mb-1">What is on it</h2>
        <p>
          {count(saved.accounts, 'account')}.
          <a class="link" href="#/accounts?host={saved.name}">Look</a>
        </p>
      </section>{/if}
  </aside>
</div>
<Sure
  bind:open={removing}
  title="Remove the host"
  name={params.name ?? ''}
  what="The host’s settings go. It must have no accounts any more; nothing on it is touched, and its bundles stay."
  action={async () => {
    await call('DELETE', `/hosts/${params.name}`);
    push('/accounts');
  }}
/>
