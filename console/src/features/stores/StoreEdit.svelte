<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import {
    kindsList,
    storesAdd,
    storesChange,
    storesImport,
    storesRemove,
    storesShow,
    storesTryDraft,
  } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import { newStore } from '../../lib/defaults';
  import { ofStore, sent, type StoreForm } from './store';
  import type { Settings, Store, StoreInput, TryResult } from '../../lib/types';
  import { count, given } from '../../lib/words';
  import ConfirmDialog from '../../ui/ConfirmDialog.svelte';
  import DamageList from './DamageList.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import KindChoice from '../../ui/fields/KindChoice.svelte';
  import KindFields from '../../ui/fields/KindFields.svelte';
  import MaintenancePanel from './MaintenancePanel.svelte';
  import NameField, { nameFault } from '../../ui/fields/NameField.svelte';
  import PageHead from '../../ui/PageHead.svelte';
  import StoreFacts from './StoreFacts.svelte';
  import DriveAccess from './DriveAccess.svelte';
  import StoreAppendOnly from './StoreAppendOnly.svelte';
  import StoreCopying from './StoreCopying.svelte';
  import StoreOwner from './StoreOwner.svelte';
  import StoreRetire from './StoreRetire.svelte';
  import StoreProposals from './StoreProposals.svelte';
  import StorePrice from './StorePrice.svelte';
  import StoreSealing from './StoreSealing.svelte';
  import StoreSending from './StoreSending.svelte';
  import StoreUsagePanel from './StoreUsagePanel.svelte';
  import TryPanel from '../../ui/TryPanel.svelte';
  let { params = {} }: { params?: { name?: string } } = $props();
  let name = $state('');
  let settings = $state<Settings>({ kind: 'sftp' });
  let form = $state<StoreForm>(newStore());
  let secrets = $state<Record<string, string>>({});
  let tried = $state<TryResult | null>(null);
  const doing = useAction();
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
      form = ofStore(saved.value);
    });
  });
  const body = (): StoreInput => ({
    name,
    settings: $state.snapshot(settings) as unknown as StoreInput['settings'],
    ...sent($state.snapshot(form)),
    secrets: given(secrets),
  });
  /** Do something with the form; whether that went well. */
  function attempt(action: () => Promise<unknown>): Promise<boolean> {
    tried = null;
    return doing.run(action);
  }
  const tryOut = () =>
    attempt(async () => (tried = await storesTryDraft(body(), { saved: params.name ?? '' })));
  async function save(untried: boolean) {
    const query = { untried };
    const store = () =>
      params.name ? storesChange(params.name, body(), query) : storesAdd(body(), query);
    if (await attempt(store)) push(untried ? `/stores/${name}` : '/stores');
  }
  function submit(event: Event) {
    event.preventDefault();
    save(asksFirst);
  }
  /** Its owner gives access once it is saved: until then there is nothing to try. */
  const asksFirst = $derived(!!kind?.asks_for_access && saved.value?.access !== 'given');
  const at = (field: string) => doing.problem?.at(field) ?? '';
  const importAll = () => attempt(() => storesImport(params.name!));
  const unfinished = $derived(
    doing.busy ||
      !name ||
      !!nameFault(name) ||
      form.verify_days == null ||
      form.stall_timeout == null,
  );
  function accept(key: string) {
    settings.host_key = key;
    tryOut();
  }
</script>

<PageHead title={params.name ? `Store ${params.name}` : 'Add a store'}>
  {#if params.name}
    <Button
      size="sm"
      color="alternative"
      onclick={importAll}
      title="Adds all bundles on this store to the records">Import bundles</Button
    >
    <Button size="sm" color="alternative" onclick={() => (removing = true)}>Remove</Button>
  {/if}
</PageHead>
<ErrorMessage problem={saved.problem ?? kinds.problem} />
{#if saved.value?.owner}<StoreOwner store={saved.value} changed={() => saved.load()} />{/if}
{#if saved.value}<StoreProposals store={saved.value.name} />{/if}
{#if saved.value}<DamageList store={saved.value.name} />{/if}
<div class="grid grid-cols-1 gap-5 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
  <form onsubmit={submit} class="sheet p-5">
    <NameField bind:value={name} problem={doing.problem} placeholder="boathouse" />
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
        problem={doing.problem}
        place="settings"
      />
    {/if}
    <div class="-mx-4 divide-y divide-rule border-y border-rule mb-4">
      <StoreSending bind:store={form} {at} />
      <StoreSealing bind:store={form} {at} />
      <StoreAppendOnly bind:store={form} {at} />
      <StoreCopying bind:store={form} {name} {at} />
      <StorePrice bind:store={form} {at} />
    </div>
    <ErrorMessage problem={doing.problem} />
    <div class="flex flex-wrap gap-3">
      <Button type="submit" disabled={unfinished}
        >{asksFirst ? 'Save, then connect' : doing.busy ? 'Trying …' : 'Try and save'}</Button
      >
      {#if !asksFirst}
        <Button color="alternative" onclick={tryOut} disabled={doing.busy}>Test</Button>
        <Button color="alternative" onclick={() => save(true)} disabled={unfinished}
          >Save without testing</Button
        >
      {/if}
      <Button color="alternative" href="#/stores">Cancel</Button>
    </div>
  </form>
  <aside class="space-y-4">
    {#if tried}<TryPanel {tried} accepted={String(settings.host_key ?? '')} {accept} />{/if}
    {#if saved.value?.access}<DriveAccess store={saved.value.name} />{/if}
    {#if saved.value}<StoreFacts store={saved.value} />{/if}
  </aside>
</div>
{#if saved.value}
  <StoreUsagePanel store={saved.value.name} />
  {#if saved.value.append_only && kind}<StoreRetire store={saved.value} {kind} />{/if}
  <MaintenancePanel
    store={saved.value.name}
    sealed={!!saved.value.recipients?.length}
    appendOnly={saved.value.append_only}
  />
{/if}
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
