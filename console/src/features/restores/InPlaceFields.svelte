<script lang="ts">
  // How files are put back where they were.
  import { Checkbox, Select } from 'flowbite-svelte';
  import type { InPlace } from '../../lib/types';
  import FormField from '../../ui/fields/FormField.svelte';
  let {
    options = $bindable(),
    holdPage = $bindable(),
    bundleFirst = $bindable(),
  }: { options: InPlace; holdPage: boolean; bundleFirst: boolean } = $props();
  const CONFLICTS = [
    { value: 'replace', name: 'set aside, and replace' },
    { value: 'newer', name: 'keep if newer than the bundle' },
    { value: 'both', name: 'keep both' },
    { value: 'skip', name: 'keep' },
  ];
</script>

<FormField label="Files that differ" id="conflicts">
  <Select id="conflicts" placeholder="" items={CONFLICTS} bind:value={options.conflicts} />
</FormField>
<div class="mb-4 flex flex-col gap-2 sm:pt-7">
  <Checkbox bind:checked={options.remove_extra}>Set aside what is not in the bundle</Checkbox>
  <Checkbox bind:checked={options.compare_contents}
    >Compare contents instead of sizes and times</Checkbox
  >
  <Checkbox bind:checked={bundleFirst}>Make a bundle of the present state first</Checkbox>
  <Checkbox bind:checked={holdPage}>Set the sites’ hold page during the exchange</Checkbox>
</div>
