<script lang="ts">
  // The sites of an account.
  import { Button, Input } from 'flowbite-svelte';
  import type { AccountForm } from '../../lib/types';
  import FieldFault from '../../ui/fields/FieldFault.svelte';
  let { account = $bindable(), wrong }: { account: AccountForm; wrong?: string } = $props();
</script>

<fieldset class="mt-2">
  <legend class="font-semibold">Sites</legend>
  {#each account.sites as site, n (n)}
    <div class="mb-2 grid grid-cols-[1fr_2fr_auto] gap-2">
      <Input aria-label="Domain" bind:value={site.name} placeholder="millpond.example" />
      <Input
        aria-label="Document root"
        bind:value={site.root}
        placeholder="{account.home || '/home/millpond'}/public"
      />
      <Button size="xs" color="alternative" onclick={() => account.sites.splice(n, 1)}>
        Remove
      </Button>
    </div>
  {/each}
  <FieldFault text={wrong} />
  <Button
    size="xs"
    color="alternative"
    onclick={() => account.sites.push({ name: '', root: account.home })}>Add a site</Button
  >
</fieldset>
