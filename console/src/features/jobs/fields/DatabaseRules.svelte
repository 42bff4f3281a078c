<script lang="ts">
  // Databases and tables a job takes.
  import { Checkbox } from 'flowbite-svelte';
  import type { DatabaseRules } from '../../../lib/types';
  import FormField from '../../../ui/fields/FormField.svelte';
  import LinesField from '../../../ui/fields/LinesField.svelte';
  let { rules = $bindable(), at }: { rules: DatabaseRules; at: (field: string) => string } =
    $props();
</script>

<p class="mb-2 text-sm text-faint">
  Patterns with * and ?, one per line. Write tables as database.table, such as shop.orders or
  *.sessions.
</p>
<div class="grid gap-x-5 sm:grid-cols-2">
  <FormField
    label="Include only these databases"
    id="db-names"
    hint="Empty: all databases of the subject."
    wrong={at('databases.names')}><LinesField id="db-names" bind:value={rules.names} /></FormField
  >
  <FormField label="Exclude these databases" id="db-without" wrong={at('databases.without')}
    ><LinesField id="db-without" bind:value={rules.without} /></FormField
  >
  <FormField label="Include only these tables" id="db-tables" wrong={at('databases.tables')}
    ><LinesField id="db-tables" bind:value={rules.tables} /></FormField
  >
  <FormField
    label="Exclude these tables"
    id="db-without-tables"
    wrong={at('databases.without_tables')}
    ><LinesField id="db-without-tables" bind:value={rules.without_tables} /></FormField
  >
  <FormField
    label="Structure only for these tables"
    id="db-without-rows"
    hint="For sessions and caches: they are restored empty."
    wrong={at('databases.without_rows')}
    ><LinesField
      id="db-without-rows"
      bind:value={rules.without_rows}
      placeholder="*.sessions"
    /></FormField
  >
  <div class="mb-3 space-y-1 sm:pt-7">
    <Checkbox bind:checked={rules.structure_only}>Structure only for all tables</Checkbox>
    <Checkbox bind:checked={rules.check_tables}>Run CHECK TABLE before reading</Checkbox>
  </div>
</div>
