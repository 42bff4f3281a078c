<script lang="ts">
  import { Button, Input, Radio, Textarea } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { call, Problem, query } from '../lib/api.svelte';
  import type { Store, Tried } from '../lib/types';
  import { size } from '../lib/words';
  import Damage from '../parts/Damage.svelte';
  import Field from '../parts/Field.svelte';
  import Sure from '../parts/Sure.svelte';
  import TriedSheet from '../parts/TriedSheet.svelte';
  import Trouble from '../parts/Trouble.svelte';
  import Maintenance from '../parts/Maintenance.svelte';
  let { params = {} }: { params?: { name?: string } } = $props();
  let draft = $state({
    name: '',
    kind: 'sftp' as 'folder' | 'sftp',
    path: '',
    address: '',
    port: '22',
    user: '',
    folder: '',
    host_key: '',
    verify_days: '30',
  });
  let secrets = $state({ password: '', private_key: '', passphrase: '' });
  let saved = $state<Store | null>(null);
  let tried = $state<Tried | null>(null);
  let problem = $state<Problem | null>(null);
  let busy = $state(false);
  let removing = $state(false);
  const badName = $derived(
    draft.name && !/^[a-z0-9]([a-z0-9._-]*[a-z0-9])?$/.test(draft.name)
      ? 'Use small letters, digits, dots, dashes and underscores.'
      : '',
  );
  const badPath = $derived(
    draft.path && !draft.path.startsWith('/')
      ? 'Write an absolute folder, from the first slash on.'
      : '',
  );
  const badPort = $derived(
    draft.port && !(Number(draft.port) >= 1 && Number(draft.port) <= 65535)
      ? 'A port is a number from 1 to 65535.'
      : '',
  );

  const badDays = $derived(
    /^\d{1,4}$/.test(draft.verify_days) && Number(draft.verify_days) <= 3650
      ? ''
      : 'A number of days from 0 to 3,650.',
  );

  async function load() {
    if (!params.name) return;
    saved = await call<Store>('GET', `/stores/${params.name}`);
    const { name, kind, path, address, port, user, folder, host_key, verify_days } = saved;
    draft = {
      name,
      kind,
      path,
      address,
      port: String(port),
      user,
      folder,
      host_key,
      verify_days: String(verify_days),
    };
  }
  $effect(() => {
    void params.name;
    load().catch((e) => (problem = e));
  });
  const body = () => ({
    ...$state.snapshot(draft),
    port: Number(draft.port) || 22,
    verify_days: Number(draft.verify_days) || 0,
    secrets: Object.fromEntries(Object.entries($state.snapshot(secrets)).filter(([, v]) => v)),
  });
  const had = (name: string) =>
    saved?.secrets_set.includes(name) ? 'Set; leave empty to keep it.' : '';
  async function tryOut() {
    busy = true;
    problem = null;
    tried = null;
    try {
      tried = await call('POST', '/stores/try' + query({ saved: params.name }), body());
    } catch (error) {
      problem = error as Problem;
    }
    busy = false;
  }
  async function save(event: Event) {
    event.preventDefault();
    busy = true;
    problem = null;
    try {
      if (params.name) await call('PUT', `/stores/${params.name}`, body());
      else await call('POST', '/stores', body());
      push('/stores');
    } catch (error) {
      problem = error as Problem;
    }
    busy = false;
  }
</script>

<div class="mb-3 flex items-center gap-3">
  <h1 class="mr-auto">{params.name ? `Store ${params.name}` : 'Add a store'}</h1>
  {#if params.name}<Button size="sm" color="alternative" onclick={() => (removing = true)}
      >Forget</Button
    >{/if}
</div>
{#if saved}<Damage store={saved.name} />{/if}
<div class="grid grid-cols-1 gap-5 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
  <form onsubmit={save} class="sheet p-5">
    <Field label="Name" id="name" wrong={badName || problem?.at('name')}
      ><Input id="name" bind:value={draft.name} placeholder="boathouse" required /></Field
    >
    <div class="mb-3 flex gap-6">
      <Radio name="kind" value="sftp" bind:group={draft.kind}>Another machine, over SFTP</Radio
      ><Radio name="kind" value="folder" bind:group={draft.kind}>A folder of this machine</Radio>
    </div>
    {#if draft.kind === 'folder'}
      <Field
        label="Folder"
        id="path"
        hint="It must exist. A copy on this machine alone is lost with it."
        wrong={badPath || problem?.at('path')}
        ><Input
          id="path"
          bind:value={draft.path}
          placeholder="/mnt/second-disk/bundles"
          required
        /></Field
      >
    {:else}
      <div class="grid gap-x-5 sm:grid-cols-[2fr_1fr]">
        <Field label="Address" id="address" wrong={problem?.at('address')}
          ><Input
            id="address"
            bind:value={draft.address}
            placeholder="storage.sedge-quill.example"
            required
          /></Field
        >
        <Field label="Port" id="port" wrong={badPort || problem?.at('port')}
          ><Input id="port" bind:value={draft.port} /></Field
        >
        <Field
          label="Folder on the server"
          id="folder"
          hint="It must exist."
          wrong={problem?.at('folder')}
          ><Input id="folder" bind:value={draft.folder} placeholder="/bundles" required /></Field
        >
        <Field label="User" id="user" wrong={problem?.at('user')}
          ><Input id="user" bind:value={draft.user} required /></Field
        >
      </div>
      <Field label="Password" id="password" hint={had('password')} wrong={problem?.at('password')}
        ><Input
          id="password"
          type="password"
          autocomplete="off"
          bind:value={secrets.password}
        /></Field
      >
      <details class="mb-3">
        <summary class="cursor-pointer">A private key instead</summary>
        <div class="mt-2">
          <Field
            label="Private key (OpenSSH form)"
            id="private-key"
            hint={had('private_key')}
            wrong={problem?.at('private_key')}
            ><Textarea
              id="private-key"
              rows={4}
              class="w-full font-mono"
              bind:value={secrets.private_key}
            /></Field
          >
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
        </div>
      </details>
      <Field
        label="Accepted host key"
        id="host-key"
        hint="The server’s fingerprint. Leave it empty and try: it is shown, to be compared and accepted."
        wrong={problem?.at('host_key')}
        ><Input
          id="host-key"
          bind:value={draft.host_key}
          placeholder="SHA256:…"
          class="font-mono"
        /></Field
      >
    {/if}
    <Field
      label="Read through every (days)"
      id="verify-days"
      hint="Each copy is read and compared once in so many days, in the background; 0 for never."
      wrong={badDays || problem?.at('verify_days')}
      ><Input
        id="verify-days"
        inputmode="numeric"
        bind:value={draft.verify_days}
        class="w-32!"
      /></Field
    >
    <Trouble {problem} />
    <div class="flex flex-wrap gap-3">
      <Button type="submit" disabled={busy || !!badName || !!badPath || !!badPort || !!badDays}
        >{busy ? 'Trying …' : 'Try and save'}</Button
      ><Button color="alternative" onclick={tryOut} disabled={busy}>Try only</Button><Button
        color="alternative"
        href="#/stores">Leave</Button
      >
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
          {saved.copies} copies, {size(saved.bytes)}.
          <a class="link" href="#/bundles?store={saved.name}">Look</a>
        </p>
        <p class="mt-1 text-sm text-faint">Jobs: {saved.jobs.join(', ') || 'none'}</p>
      </section>{/if}
  </aside>
</div>
{#if saved}<Maintenance store={saved.name} />{/if}
<Sure
  bind:open={removing}
  title="Forget the store"
  name={params.name ?? ''}
  what="The records forget this store and the {saved?.copies ??
    0} copies on it; bundles with no other copy vanish from the lists. Nothing is removed from the store itself."
  action={async () => {
    await call('DELETE', `/stores/${params.name}`);
    push('/stores');
  }}
/>
