<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { Problem } from '../lib/api.svelte';
  import {
    kindsList,
    storesAdd,
    storesChange,
    storesRemove,
    storesShow,
    storesTryDraft,
  } from '../lib/calls';
  import { asProblem, Loader } from '../lib/loader.svelte';
  import type { Settings, Store, StoreInput, TryResult } from '../lib/types';
  import { count, given } from '../lib/words';
  import ConfirmDialog from '../components/ConfirmDialog.svelte';
  import DamageList from '../components/DamageList.svelte';
  import ErrorMessage from '../components/ErrorMessage.svelte';
  import KindChoice from '../components/KindChoice.svelte';
  import KindFields from '../components/KindFields.svelte';
  import MaintenancePanel from '../components/MaintenancePanel.svelte';
  import NameField, { nameFault } from '../components/NameField.svelte';
  import NumberField from '../components/NumberField.svelte';
  import PageHead from '../components/PageHead.svelte';
  import StoreFacts from '../components/StoreFacts.svelte';
  import TryPanel from '../components/TryPanel.svelte';
  let { params = {} }: { params?: { name?: string } } = $props();
  let name = $state('');
  let settings = $state<Settings>({ kind: 'sftp' });
  let verifyDays = $state<number | null>(30);
  let secrets = $state<Record<string, string>>({});
  let tried = $state<TryResult | null>(null);
  let problem = $state<Problem | null>(null);
  let busy = $state(false);
  let removing = $state(false);
  const kinds = new Loader(kindsList);
  const saved = new Loader<Store | null>(async () =>
    params.name ? await storesShow(params.name) : null,
  );
  const kind = $derived(kinds.value?.stores.find((k) => k.name === settings.kind));
  $effect(() => {
    void params.name;
    kinds.load();
    saved.load().then(() => {
      if (!saved.value) return;
      name = saved.value.name;
      settings = saved.value.settings as unknown as Settings;
      verifyDays = saved.value.verify_days;
    });
  });
  const body = (): StoreInput => ({
    name,
    settings: $state.snapshot(settings) as unknown as StoreInput['settings'],
    verify_days: verifyDays ?? 0,
    secrets: given(secrets),
  });
  /** Do something with the form; whether that went well. */
  async function attempt(action: () => Promise<unknown>): Promise<boolean> {
    busy = true;
    problem = tried = null;
    try {
      await action();
    } catch (error) {
      problem = asProblem(error);
    }
    busy = false;
    return !problem;
  }
  const tryOut = () =>
    attempt(async () => (tried = await storesTryDraft(body(), { saved: params.name ?? '' })));
  async function save(event: Event) {
    event.preventDefault();
    const store = () => (params.name ? storesChange(params.name, body()) : storesAdd(body()));
    if (await attempt(store)) push('/stores');
  }
  function accept(key: string) {
    settings.host_key = key;
    tryOut();
  }
</script>

<PageHead title={params.name ? `Store ${params.name}` : 'Add a store'}>
  {#if params.name}
    <Button size="sm" color="alternative" onclick={() => (removing = true)}>Remove</Button>
  {/if}
</PageHead>
<ErrorMessage problem={saved.problem ?? kinds.problem} />
{#if saved.value}<DamageList store={saved.value.name} />{/if}
<div class="grid grid-cols-1 gap-5 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
  <form onsubmit={save} class="sheet p-5">
    <NameField bind:value={name} {problem} placeholder="boathouse" />
    {#if !params.name}
      <KindChoice
        kinds={kinds.value?.stores ?? []}
        bind:value={() => settings.kind, (chosen) => (settings = { kind: chosen })}
      />
    {/if}
    {#if kind}
      <KindFields
        {kind}
        bind:settings
        bind:secrets
        saved={saved.value?.secrets_set ?? []}
        {problem}
        place="settings"
      />
    {/if}
    <NumberField
      label="Read through every (days)"
      id="verify-days"
      min={0}
      max={3650}
      hint="Each copy is read and compared once in so many days, in the background; 0 for never."
      bind:value={verifyDays}
      wrong={problem?.at('verify_days')}
    />
    <ErrorMessage {problem} />
    <div class="flex flex-wrap gap-3">
      <Button type="submit" disabled={busy || !name || !!nameFault(name) || verifyDays == null}>
        {busy ? 'Trying …' : 'Try and save'}
      </Button>
      <Button color="alternative" onclick={tryOut} disabled={busy}>Try only</Button>
      <Button color="alternative" href="#/stores">Cancel</Button>
    </div>
  </form>
  <aside class="space-y-4">
    {#if tried}<TryPanel {tried} accepted={String(settings.host_key ?? '')} {accept} />{/if}
    {#if saved.value}<StoreFacts store={saved.value} />{/if}
  </aside>
</div>
{#if saved.value}<MaintenancePanel store={saved.value.name} />{/if}
<ConfirmDialog
  bind:open={removing}
  title="Remove the store"
  name={params.name ?? ''}
  what="This store is removed from the records, with the {count(
    saved.value?.copies ?? 0,
    'copy',
    'copies',
  )}
    on it; bundles with no other copy vanish from the lists. Nothing is removed from the store
    itself."
  action={async () => {
    await storesRemove(params.name!);
    push('/stores');
  }}
/>
