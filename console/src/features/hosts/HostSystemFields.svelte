<script lang="ts">
  // A host's own settings, those of an account, and the flag of hold pages.
  import { Input } from 'flowbite-svelte';
  import type { Problem } from '../../lib/api.svelte';
  import type { HostInput } from '../../lib/types';
  import FormDetails from '../../ui/fields/FormDetails.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import LinesField from '../../ui/fields/LinesField.svelte';
  let { host = $bindable(), problem }: { host: HostInput; problem: Problem | null } = $props();
</script>

<FormDetails
  title="System settings and hold page"
  open={host.system.length + host.account_system.length > 0}
>
  <div class="grid gap-x-5 sm:grid-cols-2">
    <FormField
      label="The host’s own settings"
      id="system"
      hint="Patterns, one per line."
      wrong={problem?.at('system')}
    >
      <LinesField id="system" bind:value={host.system} placeholder="/etc/nginx" />
    </FormField>
    <FormField
      label="An account’s settings"
      id="account-system"
      hint={'With {account} in it.'}
      wrong={problem?.at('account_system')}
    >
      <LinesField
        id="account-system"
        bind:value={host.account_system}
        placeholder={'/var/spool/cron/crontabs/{account}'}
      />
    </FormField>
    <FormField
      label="Commands after restoring an account’s settings"
      id="system-refresh"
      hint="One per line."
      wrong={problem?.at('system_refresh')}
    >
      <LinesField
        id="system-refresh"
        bind:value={host.system_refresh}
        placeholder="systemctl reload nginx"
      />
    </FormField>
  </div>
  <FormField
    label="Hold page: flag file of a site"
    id="hold-flag"
    hint={'With {site} or {account} in it; the web server looks for it.'}
    wrong={problem?.at('hold_flag')}
  >
    <Input id="hold-flag" bind:value={host.hold_flag} placeholder={'/run/hold/{site}'} />
  </FormField>
</FormDetails>
