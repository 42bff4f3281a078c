<script lang="ts">
  // Whether a store's files may be removed with the service's credentials.
  import { Checkbox } from 'flowbite-svelte';
  import type { StoreForm } from './store';
  import FormDetails from '../../ui/fields/FormDetails.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  let { store = $bindable(), at }: { store: StoreForm; at: (field: string) => string } = $props();
</script>

<FormDetails title="Stolen credentials" open={store.append_only}>
  <FormField
    label="Append-only"
    id="append-only"
    hint="A trial proves that the server refuses to remove and to replace files. Copies then retire
      only with separate credentials."
    wrong={at('append_only')}
  >
    <Checkbox id="append-only" bind:checked={store.append_only}
      >These credentials can only add files</Checkbox
    >
  </FormField>
</FormDetails>
