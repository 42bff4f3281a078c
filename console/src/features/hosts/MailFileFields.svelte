<script lang="ts">
  // Where a host keeps mail settings.
  import { Input } from 'flowbite-svelte';
  import type { Problem } from '../../lib/api.svelte';
  import type { HostInput } from '../../lib/types';
  import FormDetails from '../../ui/fields/FormDetails.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import LinesField from '../../ui/fields/LinesField.svelte';
  let { mail = $bindable(), problem }: { mail: HostInput['mail']; problem: Problem | null } =
    $props();
  type Paths = 'alias_map' | 'mailbox_map' | 'transport_map' | 'passwd_file' | 'home' | 'dkim';
  const FIELDS: { name: Paths; label: string; hint?: string; example?: string }[] = [
    { name: 'alias_map', label: 'Postfix alias map', example: '/etc/postfix/virtual' },
    { name: 'mailbox_map', label: 'Postfix mailbox map' },
    { name: 'transport_map', label: 'Postfix transport map' },
    { name: 'passwd_file', label: 'Dovecot passwd-file', example: '/etc/dovecot/users' },
    {
      name: 'home',
      label: 'Home of a mailbox',
      hint: 'With {domain} and {user} in it.',
      example: '/var/vmail/{domain}/{user}',
    },
    {
      name: 'dkim',
      label: 'DKIM keys of a domain',
      hint: 'With {domain} in it.',
      example: '/etc/opendkim/keys/{domain}',
    },
  ];
  const id = (name: string) => `mail-${name.replaceAll('_', '-')}`;
</script>

<FormDetails title="Mail settings" open={!!mail.alias_map}>
  <div class="grid gap-x-5 sm:grid-cols-2">
    {#each FIELDS as field (field.name)}
      <FormField
        label={field.label}
        id={id(field.name)}
        hint={field.hint ?? ''}
        wrong={problem?.at(`mail.${field.name}`)}
      >
        <Input
          id={id(field.name)}
          bind:value={mail[field.name]}
          placeholder={field.example ?? ''}
        />
      </FormField>
    {/each}
  </div>
  <FormField
    label="Commands after restoring mail settings"
    id="refresh"
    hint="One per line."
    wrong={problem?.at('mail.refresh')}
  >
    <LinesField id="refresh" bind:value={mail.refresh} placeholder="postmap /etc/postfix/virtual" />
  </FormField>
</FormDetails>
