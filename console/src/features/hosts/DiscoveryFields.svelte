<script lang="ts">
  // The rules by which a host's accounts are found.
  import { Checkbox, Input } from 'flowbite-svelte';
  import type { Problem } from '../../lib/api.svelte';
  import type { HostInput } from '../../lib/types';
  import FormDetails from '../../ui/fields/FormDetails.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import LinesField from '../../ui/fields/LinesField.svelte';
  import NumberField from '../../ui/fields/NumberField.svelte';
  let { rules = $bindable(), problem }: { rules: HostInput['discovery']; problem: Problem | null } =
    $props();
  const at = (field: string) => problem?.at(`discovery.${field}`);
  type Lists = 'homes' | 'sites' | 'nginx' | 'apache' | 'leave_out';
  const LISTS: { name: Lists; id: string; label: string; hint: string; example: string }[] = [
    {
      name: 'homes',
      id: 'homes',
      label: 'Homes',
      hint: 'With {account} in it, one per line.',
      example: '/home/{account}',
    },
    {
      name: 'sites',
      id: 'roots',
      label: 'Document roots',
      hint: 'With {account} and {site}.',
      example: '/home/{account}/sites/{site}',
    },
    {
      name: 'nginx',
      id: 'nginx',
      label: 'or from nginx configuration',
      hint: '',
      example: '/etc/nginx/sites-enabled/*',
    },
    {
      name: 'apache',
      id: 'apache',
      label: 'or from Apache configuration',
      hint: '',
      example: '/etc/apache2/sites-enabled/*.conf',
    },
    {
      name: 'leave_out',
      id: 'not-accounts',
      label: 'These are not accounts',
      hint: '',
      example: 'lost+found',
    },
  ];
</script>

<FormDetails title="Account discovery" open={rules.homes.length > 0}>
  <div class="grid gap-x-5 sm:grid-cols-2">
    {#each LISTS as field (field.name)}
      <FormField label={field.label} id={field.id} hint={field.hint} wrong={at(field.name)}>
        <LinesField id={field.id} bind:value={rules[field.name]} placeholder={field.example} />
      </FormField>
    {/each}
    <FormField label="Database prefix" id="prefix" wrong={at('database_prefix')}>
      <Input id="prefix" bind:value={rules.database_prefix} placeholder={'{account}_'} />
    </FormField>
    <NumberField
      label="Forget deleted accounts and their bundles after (days)"
      id="forget-after"
      min={0}
      hint="0: only by hand."
      bind:value={rules.forget_after}
      wrong={at('forget_after')}
    />
  </div>
  <div class="grid gap-1 sm:grid-cols-2">
    <Checkbox bind:checked={rules.by_grants}>
      Find databases by the grants of the user with the same name
    </Checkbox>
    <Checkbox bind:checked={rules.sqlite}>Find database files</Checkbox>
    <Checkbox bind:checked={rules.mail}>Find mail domains in the mail files</Checkbox>
    <Checkbox bind:checked={rules.automatic}>Accept new and changed accounts every hour</Checkbox>
  </div>
</FormDetails>
