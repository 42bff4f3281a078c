<script lang="ts">
  // What a store costs.
  import { Input } from 'flowbite-svelte';
  import type { StoreForm } from './store';
  import FormDetails from '../../ui/fields/FormDetails.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  let { store = $bindable(), at }: { store: StoreForm; at: (field: string) => string } = $props();
</script>

<FormDetails title="Price">
  <div class="grid gap-x-5 sm:grid-cols-3">
    <FormField label="Price per GB and month" id="price-kept" wrong={at('price_kept')}>
      <Input id="price-kept" type="number" min={0} step="any" bind:value={store.price_kept} />
    </FormField>
    <FormField label="Price per GB transferred" id="price-moved" wrong={at('price_moved')}>
      <Input id="price-moved" type="number" min={0} step="any" bind:value={store.price_moved} />
    </FormField>
    <FormField label="Currency" id="currency" wrong={at('currency')}>
      <Input id="currency" maxlength={8} placeholder="EUR" bind:value={store.currency} />
    </FormField>
  </div>
</FormDetails>
