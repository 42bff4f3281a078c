<script lang="ts">
  // The public keys that all bundles for a store are sealed to.
  import type { StoreForm } from './store';
  import FormDetails from '../../ui/fields/FormDetails.svelte';
  import SealingFields from '../jobs/fields/SealingFields.svelte';
  let { store = $bindable(), at }: { store: StoreForm; at: (field: string) => string } = $props();
</script>

<FormDetails title="Sealing" open={store.recipients.length > 0}>
  <SealingFields
    bind:recipients={store.recipients}
    whose="All bundles for this store"
    wrong={at('recipients')}
  />
</FormDetails>
