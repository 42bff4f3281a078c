<script lang="ts">
  // Who gets a report, and when.
  import { Select } from 'flowbite-svelte';
  import type { JobForm } from '../../lib/types';
  import FormField from '../FormField.svelte';
  import FormSection from '../FormSection.svelte';
  import LinesField from '../LinesField.svelte';
  import NumberField from '../NumberField.svelte';
  let { job = $bindable(), at }: { job: JobForm; at: (field: string) => string } = $props();
  const attach = {
    get kib() {
      return Math.round(job.attach_up_to / 1024);
    },
    set kib(value: number | null) {
      job.attach_up_to = (value ?? 0) * 1024;
    },
  };
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
  <NumberField
    label="Send bundles along up to (KiB)"
    id="attach"
    min={0}
    max={25600}
    hint="As attachments of the report; 0 for none. They never count as copies."
    bind:value={attach.kib}
    wrong={at('attach_up_to')}
  />
</FormSection>
