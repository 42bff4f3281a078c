<script lang="ts">
  // Another place for a restore: a copy beside the original or another account, as a mapping that
  // can be edited before anything happens.
  import { Button, Input } from 'flowbite-svelte';
  import { useAction } from '../../lib/action.svelte';
  import type { Problem } from '../../lib/api.svelte';
  import { restoresRelocation } from '../../lib/calls';
  import type { RelocationProposal } from '../../lib/types';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import MappingTable from './MappingTable.svelte';
  let {
    bundle,
    proposal = $bindable(),
    problem = null,
  }: { bundle: number; proposal: RelocationProposal | null; problem?: Problem | null } = $props();
  let account = $state('');
  let address = $state('');
  let site = $state('');
  const action = useAction();
  async function propose() {
    await action.run(async () => {
      proposal = await restoresRelocation({ bundle, account, address, site });
    });
  }
  // A proposal for another place than the one named now is not used.
  const forget = () => (proposal = null);
</script>

<FormField
  label="Address of the copy"
  id="address"
  hint="For a copy next to the original: a new name."
  wrong={action.problem?.at('address')}
>
  <Input id="address" bind:value={address} oninput={forget} placeholder="try.millpond.example" />
</FormField>
<FormField
  label="Another account"
  id="account"
  hint="Empty: the account of the bundle."
  wrong={action.problem?.at('account')}
>
  <Input id="account" bind:value={account} oninput={forget} />
</FormField>
<FormField
  label="Site"
  id="site"
  hint="If the account has several."
  wrong={action.problem?.at('site')}
>
  <Input id="site" bind:value={site} oninput={forget} />
</FormField>
<div class="mb-4 sm:pt-7">
  <Button
    color="alternative"
    onclick={propose}
    disabled={action.busy || !(address.trim() || account.trim())}>Propose the mapping</Button
  >
</div>
<div class="sm:col-span-2">
  <ErrorMessage problem={action.problem} />
  {#if proposal}<MappingTable bind:proposal />{/if}
  {#each ['to_folder', 'databases', 'user_names', 'texts', 'files'] as field (field)}
    {#if problem?.at(`relocation.${field}`) || problem?.at(field)}
      <p role="alert" class="text-sm text-brick">
        ■ {problem.at(`relocation.${field}`) || problem.at(field)}
      </p>
    {/if}
  {/each}
</div>
