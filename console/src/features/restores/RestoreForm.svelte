<script lang="ts">
  // Bringing a bundle back, in steps: what, where to, what will change, go.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Checkbox, Input, Radio, Select } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { bundlesFiles, restoresStart } from '../../lib/calls';
  import type { BundleDetail, InPlace, RelocationProposal } from '../../lib/types';
  import { size, toggled } from '../../lib/words';
  import FormField from '../../ui/fields/FormField.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import InPlaceFields from './InPlaceFields.svelte';
  import RelocationFields from './RelocationFields.svelte';
  import { relocated } from './restore';
  let {
    bundle,
    part,
    done,
  }: { bundle: BundleDetail; part: { kind: string; path: string } | null; done: () => void } =
    $props();
  const canStay = $derived(
    bundle.subject_kind !== 'host' &&
      (part ? part.kind === 'files' : !!(bundle.contents.files || bundle.contents.databases)),
  );
  let where = $derived<'place' | 'other' | 'folder'>(canStay ? 'place' : 'folder');
  let options = $state<InPlace>({
    conflicts: 'replace',
    remove_extra: false,
    compare_contents: false,
  });
  let wholeAccount = $state(false);
  let holdPage = $state(false);
  let bundleFirst = $state(false);
  let proposal = $state<RelocationProposal | null>(null);
  let target = $state('');
  let store = $state('');
  let identity = $state('');
  let databases = $state<Record<string, string>>({});
  let domains = $state<string[]>([]);
  let chosen = $state<string[]>([]);
  const action = useAction();
  $effect(() => {
    if (part || !bundle.contents.mail) return;
    action.run(async () => {
      const found = await bundlesFiles(bundle.id, { contents: 'mail' });
      domains = found.items.map((i) => i.name);
    });
  });
  const onServers = $derived(bundle.databases.filter((d) => !d.origin).map((d) => d.name));
  let kinds = $derived(part ? [part.kind] : Object.keys(bundle.contents));
  const inPlace = (kind: string) => ['files', 'databases'].includes(kind);
  const offered = $derived(
    Object.keys(bundle.contents).filter((k) => where === 'folder' || inPlace(k)),
  );
  const badTarget = $derived(
    target && !target.startsWith('/') ? 'Write an absolute folder, from the first slash on.' : '',
  );
  const renamed = $derived(
    Object.fromEntries(Object.entries(databases).filter(([, v]) => v.trim())),
  );
  const change = $derived.by(() => {
    const amount = part ? 'the chosen part' : `up to ${size(bundle.bytes)}`;
    const files = target ? `${amount} is written below ${target}` : 'no file is written';
    const names = part ? [] : Object.values(renamed);
    return files + (names.length ? `, and databases are loaded as ${names.join(', ')}` : '');
  });
  const replaced = $derived(
    `In the host’s mail files, the lines of ${chosen.join(', ')} are replaced by those of the ` +
      'bundle. No other domain is touched.',
  );
  const unfinished = $derived(
    action.busy ||
      !kinds.length ||
      (where === 'other' && !proposal) ||
      (where === 'folder' &&
        (!(target || Object.keys(renamed).length || chosen.length) || !!badTarget)),
  );
  async function go(event: Event) {
    event.preventDefault();
    await action.run(async () => {
      if (where !== 'folder') {
        const plan = await restoresStart({
          bundle: bundle.id,
          store,
          identity,
          contents: part ? [part.kind] : wholeAccount ? [] : kinds.filter((k) => inPlace(k)),
          paths: part ? [part.path] : [],
          in_place: $state.snapshot(options),
          whole_account: wholeAccount && where === 'place',
          ...(where === 'other' && proposal ? relocated($state.snapshot(proposal)) : {}),
          hold_page: holdPage && where === 'place',
          bundle_first: bundleFirst && where === 'place',
          plan_only: true,
        });
        return push(`/restores/${plan.id}`);
      }
      const body = {
        bundle: bundle.id,
        target,
        store,
        identity,
        contents: kinds,
        paths: part ? [part.path] : [],
        databases: part ? {} : renamed,
        mail_domains: part ? [] : $state.snapshot(chosen),
      };
      push(`/restores/${(await restoresStart(body)).id}`);
    });
  }
</script>

<form onsubmit={go} class="sheet mb-5 p-4">
  <h2 class="mb-2">Restore {part ? part.path : 'the whole bundle'}</h2>
  {#if !part}
    <div class="mb-3 flex gap-5">
      {#each offered as kind (kind)}
        <Checkbox checked={kinds.includes(kind)} onchange={() => (kinds = toggled(kinds, kind))}
          >{kind}</Checkbox
        >{/each}
    </div>
  {/if}
  <fieldset class="mb-3 flex flex-wrap gap-x-6 gap-y-2">
    <legend class="mb-1 font-semibold">Target</legend>
    <Radio name="where" value="place" disabled={!canStay} bind:group={where}
      >In place, after a look at the plan</Radio
    >
    {#if canStay && !part}<Radio name="where" value="other" bind:group={where}
        >A copy next to it, or another account</Radio
      >{/if}
    <Radio name="where" value="folder" bind:group={where}
      >An empty folder, new databases, mail settings</Radio
    >
  </fieldset>
  <div class="grid gap-x-5 sm:grid-cols-2">
    {#if where === 'place'}<InPlaceFields bind:options bind:holdPage bind:bundleFirst />
      {#if bundle.subject_kind === 'account' && !part}
        <div class="mb-3 sm:col-span-2">
          <Checkbox bind:checked={wholeAccount}
            >Lost account: also create its user, restore mail and missing system settings</Checkbox
          >
        </div>
      {/if}
    {:else if where === 'other'}<RelocationFields
        bundle={bundle.id}
        bind:proposal
        problem={action.problem}
      />{:else}
      <FormField
        label="Target folder on the service’s machine (empty or new)"
        id="target"
        hint="Empty: only the databases and mail settings below are restored."
        wrong={badTarget || action.problem?.at('target')}
        ><Input
          id="target"
          bind:value={target}
          placeholder="/srv/restored/{bundle.subject}"
        /></FormField
      >{/if}
    {#if bundle.sealed_to?.length}
      <FormField
        label="Private key"
        id="identity"
        hint="Sealed to {bundle.sealed_to.length === 1
          ? 'one key'
          : `${bundle.sealed_to.length} keys`}. Leave it empty where the service keeps one."
        wrong={action.problem?.at('identity')}
        ><Input id="identity" type="password" autocomplete="off" bind:value={identity} /></FormField
      >
    {/if}
    <FormField label="Copy to read" id="from"
      ><Select
        id="from"
        placeholder=""
        items={[
          { value: '', name: `any (${bundle.copies[0]?.store ?? 'none'})` },
          ...bundle.copies.map((c) => ({ value: c.store, name: c.store })),
        ]}
        bind:value={store}
      /></FormField
    >
    {#if where === 'folder' && !part && kinds.includes('databases')}{#each onServers as name (name)}
        <FormField
          label="Load database {name} as"
          id="db-{name}"
          hint="A new or empty database. Empty: its SQL is written to the folder."
          wrong={action.problem?.at('databases')}
          ><Input
            id="db-{name}"
            bind:value={databases[name]}
            placeholder="{name}_restored"
          /></FormField
        >{/each}{/if}
  </div>
  {#if where === 'folder' && !part && domains.length}
    <fieldset class="mb-3">
      <legend class="mb-1 font-semibold">Merge mail settings into the host’s own files</legend>
      <div class="flex flex-wrap gap-5">
        {#each domains as domain (domain)}<Checkbox
            checked={chosen.includes(domain)}
            onchange={() => (chosen = toggled(chosen, domain))}>{domain}</Checkbox
          >{/each}
      </div>
      {#if chosen.length}<p class="mt-1 text-sm text-amber-ink">
          ▲ {replaced}
        </p>{/if}
      {#if action.problem?.at('mail_domains')}<p role="alert" class="text-sm text-brick">
          ■ {action.problem.at('mail_domains')}
        </p>{/if}
    </fieldset>
  {/if}
  <p class="mb-3 text-sm">
    {#if where !== 'folder'}
      Nothing changes before you have seen the plan. What is replaced is set aside, and can be put
      back.
    {:else}
      What will change: {change}. No folder or database that exists is overwritten.
    {/if}
  </p>
  <ErrorMessage problem={action.problem} />
  <div class="flex gap-3">
    <Button type="submit" disabled={unfinished}
      >{where === 'folder' ? 'Restore' : 'Show the plan'}</Button
    ><Button color="alternative" onclick={done}>Cancel</Button>
  </div>
</form>
