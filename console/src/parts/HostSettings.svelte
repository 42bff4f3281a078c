<script lang="ts">
  import { Button, Input } from 'flowbite-svelte';
  import { call, Problem } from '../lib/api.svelte';
  import type { Host, Page, Tried } from '../lib/types';
  import { count } from '../lib/words';
  import Field from './Field.svelte';
  import Steps from './Steps.svelte';
  import Trouble from './Trouble.svelte';
  let hosts = $state<Host[]>([]);
  let editing = $state<string | null>(null);
  let draft = $state({ name: '', alias_map: '', passwd_file: '', mail_home: '', socket: '', address: '', port: '3306', user: '', password: '' });
  let tried = $state<Record<string, Tried>>({});
  let problem = $state<Problem | null>(null);
  const load = async () => { hosts = (await call<Page<Host>>('GET', '/hosts?limit=500')).items; };
  load().catch((e) => (problem = e));
  function edit(host: Host | null) {
    editing = host?.name ?? '';
    const m = host?.mariadb;
    draft = { name: host?.name ?? '', alias_map: host?.alias_map ?? '', passwd_file: host?.passwd_file ?? '', mail_home: host?.mail_home ?? '', socket: m?.socket ?? '', address: m?.address ?? '', port: String(m?.port ?? 3306), user: m?.user ?? '', password: '' };
  }
  async function save(event: Event) {
    event.preventDefault();
    const { socket, address, port, user, password, ...rest } = $state.snapshot(draft);
    const body = { ...rest, mariadb: socket || address ? { socket, address, port: Number(port), user } : null, secrets: password ? { mariadb_password: password } : null };
    try {
      if (editing) await call('PUT', `/hosts/${editing}`, body); else await call('POST', '/hosts', body);
      editing = null; problem = null; await load();
    } catch (error) { problem = error as Problem; }
  }
  async function tryOut(name: string) { try { tried[name] = await call('POST', `/hosts/${name}/try`); } catch (error) { problem = error as Problem; } }
</script>

<section class="sheet p-4"><h2 class="mb-2">Hosts</h2>
  {#each hosts as host (host.name)}
    <div class="mb-2 flex flex-wrap items-center gap-3"><strong>{host.name}</strong> <span class="mr-auto text-faint">this machine, {count(host.accounts, 'account')}</span>
      <Button size="xs" color="alternative" onclick={() => tryOut(host.name)} aria-label="Try {host.name}">Try</Button><Button size="xs" color="alternative" onclick={() => edit(host)} aria-label="Change {host.name}">Change</Button></div>
    {#if tried[host.name]}<Steps tried={tried[host.name]} />{/if}
  {:else}<p class="mb-2 text-faint">No host yet. Add this machine.</p>{/each}
  {#if editing === null}<Button size="sm" onclick={() => edit(null)}>Add this machine</Button>
  {:else}
    <form onsubmit={save} class="mt-3 border-t border-rule pt-3">
      <Field label="Host name" id="host-name" wrong={problem?.at('name')}><Input id="host-name" bind:value={draft.name} placeholder="reed-1" required /></Field>
      <div class="grid gap-x-4 sm:grid-cols-2">
        <Field label="MariaDB socket" id="db-socket" wrong={problem?.at('mariadb.socket')}><Input id="db-socket" bind:value={draft.socket} placeholder="/run/mysqld/mysqld.sock" /></Field>
        <Field label="or its address" id="db-address"><Input id="db-address" bind:value={draft.address} /></Field>
        <Field label="Database user" id="db-user"><Input id="db-user" bind:value={draft.user} autocomplete="off" /></Field>
        <Field label="Its password" id="db-password" hint="Empty keeps the one that is set."><Input id="db-password" type="password" autocomplete="off" bind:value={draft.password} /></Field>
      </div>
      <Field label="Postfix alias map" id="alias-map" wrong={problem?.at('alias_map')}><Input id="alias-map" bind:value={draft.alias_map} placeholder="/etc/postfix/virtual" /></Field>
      <Field label="Dovecot passwd-file" id="passwd-file" wrong={problem?.at('passwd_file')}><Input id="passwd-file" bind:value={draft.passwd_file} placeholder="/etc/dovecot/users" /></Field>
      <Field label="Home of a mailbox" id="mail-home" hint={'with {domain} and {user} in it'} wrong={problem?.at('mail_home')}><Input id="mail-home" bind:value={draft.mail_home} placeholder={'/var/vmail/{domain}/{user}'} /></Field>
      <Trouble {problem} />
      <div class="flex gap-3"><Button type="submit" size="sm">Save</Button><Button size="sm" color="alternative" onclick={() => (editing = null)}>Leave</Button></div>
    </form>
  {/if}
</section>
