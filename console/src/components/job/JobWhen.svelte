<script lang="ts">
  // When it starts by itself.
  import { Input, Toggle } from 'flowbite-svelte';
  import type { JobForm } from '../../lib/types';
  import FormField from '../FormField.svelte';
  import FormSection from '../FormSection.svelte';
  import TimetablePicker from '../TimetablePicker.svelte';
  import ZoneField from '../ZoneField.svelte';
  let { job = $bindable(), at }: { job: JobForm; at: (field: string) => string } = $props();
</script>

<FormSection title="When" columns>
  <div class="sm:col-span-2"><TimetablePicker bind:value={job.timetable} /></div>
  <FormField
    label="Timetable"
    id="timetable"
    hint="As in daily 02:15, monthly 1 04:00, or a cron expression."
    wrong={at('timetable')}
  >
    <Input id="timetable" bind:value={job.timetable} />
  </FormField>
  <ZoneField bind:value={job.zone} wrong={at('zone')} />
  <Toggle bind:checked={job.enabled}>Enabled</Toggle>
</FormSection>
