<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button, Input } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { hostsAdd, hostsChange, hostsRemove, hostsShow } from '../../lib/calls';
  import { hostsPropose, hostsTryDraft, kindsList } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import type { HostInput, HostProposal, Settings, TryResult } from '../../lib/types';
  import { newHost } from '../../lib/defaults';
  import { hostForm } from './host';
  import { count, given } from '../../lib/words';
  import ConfirmDialog from '../../ui/ConfirmDialog.svelte';
  import DiscoveryFields from './DiscoveryFields.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import HostButtons from './HostButtons.svelte';
  import HostServers from './HostServers.svelte';
  import HostSystemFields from './HostSystemFields.svelte';
  import KindChoice from '../../ui/fields/KindChoice.svelte';
  import KindFields from '../../ui/fields/KindFields.svelte';
  import MailFileFields from './MailFileFields.svelte';
  import NameField, { nameFault } from '../../ui/fields/NameField.svelte';
  import NumberField from '../../ui/fields/NumberField.svelte';
  import PageHead from '../../ui/PageHead.svelte';
  import RuleProposals from './RuleProposals.svelte';
  import TryPanel from '../../ui/TryPanel.svelte';
  let { params = {} }: { params?: { name?: string } } = $props();
  let host = $state<HostInput>({ ...newHost(), secrets: {} });
  let secrets = $state<Record<string, string>>({});
  let tried = $state<TryResult | null>(null);
  const doing = useAction();
  let proposal = $state<HostProposal | null>(null);
  let removing = $state(false);
  const kinds = new Loader(kindsList);
  const saved = new Loader(async () => (params.name ? await hostsShow(params.name) : null));
  const kind = $derived(kinds.value?.hosts.find((k) => k.name === host.connection.kind));
  const secretsSet = $derived(saved.value?.secrets_set ?? []);
  $effect(() => {
    void params.name;
    kinds.load();
    saved.load().then(() => {
      if (saved.value) host = hostForm(saved.value);
    });
  });
  const body = () => ({ ...$state.snapshot(host), secrets: given(secrets) });
  async function tryOut(): Promise<boolean> {
    let reached = false;
    tried = null;
    await doing.run(async () => {
      tried = await hostsTryDraft(body(), { saved: params.name ?? '' });
      reached = tried.ok;
    });
    return reached;
  }
  async function propose() {
    if (!(await tryOut())) return;
    await doing.run(async () => {
      proposal = await hostsPropose(body(), { saved: params.name ?? '' });
    });
  }
  function take() {
    if (proposal) host = { ...hostForm(proposal.host as never), secrets: {} };
    proposal = null;
  }
  async function save(event: Event) {
    event.preventDefault();
    if (!(await tryOut())) return;
    await doing.run(async () => {
      await (params.name ? hostsChange(params.name, body()) : hostsAdd(body()));
      push(host.discovery.homes.length ? `/hosts/${host.name}/discovery` : '/accounts');
    });
  }
  function accept(key: string) {
    (host.connection as Settings).host_key = key;
    tryOut();
  }
</script>

<PageHead title={params.name ? `Host ${params.name}` : 'Add a host'}>
  {#if saved.value?.discovery.homes.length}
    <Button size="sm" color="alternative" href="#/hosts/{params.name}/discovery">
      Find accounts
    </Button>
  {/if}
  {#if params.name}
    <Button size="sm" color="alternative" onclick={() => (removing = true)}>Remove</Button>
  {/if}
</PageHead>
<ErrorMessage problem={saved.problem ?? kinds.problem} />
<div class="grid grid-cols-1 gap-5 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
  <form onsubmit={save} class="sheet divide-y divide-rule">
    <div class="p-4">
      <NameField
        bind:value={host.name}
        problem={doing.problem}
        placeholder="reed-1"
        disabled={!!params.name}
      />
      <KindChoice
        kinds={kinds.value?.hosts ?? []}
        bind:value={
          () => host.connection.kind, (name) => (host.connection = { kind: name } as never)
        }
      />
      {#if kind}
        <KindFields
          {kind}
          bind:settings={host.connection as Settings}
          bind:secrets
          saved={secretsSet}
          problem={doing.problem}
          place="connection"
        />
      {/if}
      <NumberField
        label="Concurrent tasks"
        id="at-once"
        min={0}
        max={64}
        hint="0: the default for this kind of host."
        bind:value={host.max_concurrent}
        wrong={doing.problem?.at('max_concurrent')}
      />
      <FormField
        label="Queue"
        id="queue"
        hint="The workers near this host. Empty: the service's machine does its tasks."
        wrong={doing.problem?.at('queue')}
      >
        <Input id="queue" bind:value={host.queue} placeholder="north" />
      </FormField>
    </div>
    <HostServers
      bind:host
      engines={kinds.value?.databases ?? []}
      bind:secrets
      saved={secretsSet}
      problem={doing.problem}
    />
    <DiscoveryFields bind:rules={host.discovery} problem={doing.problem} />
    <MailFileFields bind:mail={host.mail} problem={doing.problem} />
    <HostSystemFields bind:host problem={doing.problem} />
    <div class="p-4">
      <ErrorMessage problem={doing.problem} />
      <HostButtons
        busy={doing.busy}
        usable={!!host.name && !nameFault(host.name)}
        {tryOut}
        {propose}
      />
    </div>
  </form>
  <aside>
    {#if proposal}<RuleProposals {proposal} {take} />{/if}
    {#if tried}
      <TryPanel {tried} accepted={String((host.connection as Settings).host_key ?? '')} {accept} />
    {/if}
  </aside>
</div>
<ConfirmDialog
  bind:open={removing}
  title="Remove the host"
  name={params.name ?? ''}
  what="The host is removed from the records; nothing is changed on it.
    {count(saved.value?.accounts ?? 0, 'account')} must be removed first."
  action={async () => {
    await hostsRemove(params.name!);
    push('/accounts');
  }}
/>
