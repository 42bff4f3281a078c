<script lang="ts">
  // Who gets a report, and when.
  import { Select } from 'flowbite-svelte';
  import type { JobForm } from '../../lib/types';
  import FormField from '../FormField.svelte';
  import FormSection from '../FormSection.svelte';
  import LinesField from '../LinesField.svelte';
  let { job = $bindable(), at }: { job: JobForm; at: (field: string) => string } = $props();
  const WHEN = [
    { value: 'always', name: 'after each run' },
    { value: 'trouble', name: 'only when something is wrong' },
  ];
</script>

<FormSection title="Tell" columns>
  <FormField label="Report addresses" id="tell" hint="One per line." wrong={at('report_to')}>
    <LinesField id="tell" bind:value={job.report_to} />
  </FormField>
  <FormField label="Tell them" id="tell-when">
    <Select id="tell-when" placeholder="" items={WHEN} bind:value={job.report_when} />
  </FormField>
</FormSection>
