<script lang="ts">
  // A store whose bundles are brought here on a timetable.
  import { Checkbox, Input, Select } from 'flowbite-svelte';
  import { storesList } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import type { StoreForm } from './store';
  import FormDetails from '../../ui/fields/FormDetails.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import TimetablePicker from '../jobs/fields/TimetablePicker.svelte';
  import ZoneField from '../../ui/fields/ZoneField.svelte';
  let {
    store = $bindable(),
    name,
    at,
  }: { store: StoreForm; name: string; at: (field: string) => string } = $props();
  const others = new Loader(() => storesList({ limit: 200 }));
  $effect(() => {
    others.load();
  });
  const choices = $derived([
    { value: '', name: 'none' },
    ...(others.value?.items ?? [])
      .filter((other) => other.name !== name)
      .map((other) => ({ value: other.name, name: other.name })),
  ]);
</script>

<FormDetails title="Copying from another store">
  <FormField
    label="Copy bundles from"
    id="copy-from"
    hint="Copies only missing bundles; nothing is read from the hosts."
    wrong={at('copy_from')}
  >
    <Select id="copy-from" placeholder="" items={choices} bind:value={store.copy_from} />
  </FormField>
  {#if store.copy_from}
    <FormField
      label="Timetable"
      id="copy-timetable"
      hint="Such as daily 05:00, or a cron expression."
      wrong={at('copy_timetable')}
    >
      <Input id="copy-timetable" bind:value={store.copy_timetable} />
    </FormField>
    <TimetablePicker bind:value={store.copy_timetable} />
    <ZoneField bind:value={store.copy_zone} wrong={at('copy_zone')} />
    <Checkbox bind:checked={store.copy_move}
      >Remove each from {store.copy_from} once it is whole here</Checkbox
    >
  {/if}
</FormDetails>
