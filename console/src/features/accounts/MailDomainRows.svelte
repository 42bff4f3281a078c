<script lang="ts">
  // The mail domains of an account.
  import { Button, Input } from 'flowbite-svelte';
  import type { AccountForm } from '../../lib/types';
  import FieldFault from '../../ui/fields/FieldFault.svelte';
  let { account = $bindable(), wrong }: { account: AccountForm; wrong?: string } = $props();
</script>

<fieldset class="mt-4 mb-4">
  <legend class="font-semibold">Mail domains</legend>
  {#each account.mail_domains as domain, n (n)}
    <div class="mb-2 grid max-w-md grid-cols-[1fr_auto] gap-2">
      <Input aria-label="Mail domain {domain}" bind:value={account.mail_domains[n]} />
      <Button size="xs" color="alternative" onclick={() => account.mail_domains.splice(n, 1)}>
        Remove
      </Button>
    </div>
  {/each}
  <FieldFault text={wrong} />
  <Button size="xs" color="alternative" onclick={() => account.mail_domains.push('')}>
    Add a mail domain
  </Button>
</fieldset>
