<script lang="ts">
  // To which stores.
  import { Checkbox } from 'flowbite-svelte';
  import type { JobForm, Store } from '../../../lib/types';
  import { toggled } from '../../../lib/words';
  import FieldFault from '../../../ui/fields/FieldFault.svelte';
  import FormSection from '../../../ui/fields/FormSection.svelte';
  let {
    job = $bindable(),
    stores,
    at,
  }: { job: JobForm; stores: Store[]; at: (field: string) => string } = $props();
</script>

<FormSection title="Where">
  {#each stores as store (store.name)}
    <Checkbox
      class="mb-1"
      checked={job.stores.includes(store.name)}
      onchange={() => (job.stores = toggled(job.stores, store.name))}
    >
      {store.name}
      <span class="ml-2 min-w-0 text-sm wrap-anywhere text-faint">{store.where}</span>
    </Checkbox>
  {:else}
    <p class="text-faint">No store yet. <a class="link" href="#/stores/new">Add one</a>.</p>
  {/each}
  {#if at('stores')}
    <FieldFault text={job.stores.length ? at('stores') : 'Choose at least one store.'} />
  {/if}
</FormSection>
