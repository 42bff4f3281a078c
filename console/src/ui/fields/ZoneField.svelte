<script lang="ts">
  // A time zone, found by typing a part of its name.
  import { Input } from 'flowbite-svelte';
  import FormField from './FormField.svelte';
  let { value = $bindable(), wrong = '' }: { value: string; wrong?: string } = $props();
  const zones = ['UTC', ...Intl.supportedValuesOf('timeZone')];
</script>

<FormField label="Time zone" id="zone" hint="Type a city, then choose." {wrong}>
  <Input id="zone" list="zones" bind:value autocomplete="off" />
  <datalist id="zones">
    {#each zones as zone (zone)}<option value={zone}></option>{/each}
  </datalist>
</FormField>
