<script lang="ts">
  // The databases of an account: on a server, or a file below its home.
  import { Button, Input, Select } from 'flowbite-svelte';
  import type { AccountForm, Kinds } from '../../lib/types';
  import FieldFault from '../../ui/fields/FieldFault.svelte';
  let {
    account = $bindable(),
    kinds,
    wrong,
  }: { account: AccountForm; kinds: Kinds | null; wrong?: string } = $props();
  const engines = $derived((kinds?.engines ?? []).map((name) => ({ value: name, name })));
  const onServer = $derived(new Set((kinds?.databases ?? []).map((kind) => kind.name)));
  const sites = $derived([
    { value: null, name: 'no one site' },
    ...account.sites.map((site) => ({ value: site.name, name: site.name })),
  ]);
  const add = () =>
    account.databases.push({ engine: engines[0]?.value ?? '', name: '', path: '', site: null });
</script>

<fieldset class="mt-4">
  <legend class="font-semibold">Databases</legend>
  {#each account.databases as database, n (n)}
    <div class="mb-2 grid grid-cols-2 gap-2 sm:grid-cols-[8rem_1fr_2fr_1fr_auto]">
      <Select aria-label="Engine" placeholder="" items={engines} bind:value={database.engine} />
      <Input aria-label="Database name" bind:value={database.name} />
      <Input
        aria-label="Path below the home"
        bind:value={database.path}
        placeholder="path below the home"
        disabled={onServer.has(database.engine)}
      />
      <Select aria-label="Used by site" placeholder="" items={sites} bind:value={database.site} />
      <Button size="xs" color="alternative" onclick={() => account.databases.splice(n, 1)}>
        Remove
      </Button>
    </div>
  {/each}
  <FieldFault text={wrong} />
  <Button size="xs" color="alternative" onclick={add}>Add a database</Button>
</fieldset>
