<script lang="ts">
  // Who gets a report, and when; and from when on a bundle is unusual.
  import { Checkbox, Select } from 'flowbite-svelte';
  import type { Channel, JobForm } from '../../../lib/types';
  import { toggled } from '../../../lib/words';
  import FormDetails from '../../../ui/fields/FormDetails.svelte';
  import FormField from '../../../ui/fields/FormField.svelte';
  import FormSection from '../../../ui/fields/FormSection.svelte';
  import LinesField from '../../../ui/fields/LinesField.svelte';
  import NumberField from '../../../ui/fields/NumberField.svelte';
  let {
    job = $bindable(),
    channels,
    at,
  }: { job: JobForm; channels: Channel[]; at: (field: string) => string } = $props();
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
    { value: 'recovery', name: 'when something is wrong, and when it is well again' },
    { value: 'daily', name: 'in a digest, each day at 07:00' },
    { value: 'weekly', name: 'in a digest, each Monday at 07:00' },
    { value: 'monthly', name: 'in a digest, on the first of each month' },
  ];
  const CONTACTS = [
    { value: 'never', name: 'never' },
    { value: 'trouble', name: 'when its own part went wrong' },
    { value: 'recovery', name: 'when it went wrong, and when it is well again' },
    { value: 'always', name: 'after each run' },
  ];
  const LOG = [
    { value: 'trouble', name: 'when something is wrong' },
    { value: 'always', name: 'always' },
    { value: 'never', name: 'never' },
  ];
</script>

<FormSection title="Tell" columns>
  <FormField label="Recipients" id="tell" hint="One per line." wrong={at('report_to')}>
    <LinesField id="tell" bind:value={job.report_to} />
  </FormField>
  <FormField label="Send reports" id="tell-when">
    <Select id="tell-when" placeholder="" items={WHEN} bind:value={job.report_when} />
  </FormField>
  <FormField label="Notify each account’s contact" id="tell-contacts">
    <Select id="tell-contacts" placeholder="" items={CONTACTS} bind:value={job.report_contacts} />
  </FormField>
  <FormField label="Attach the log" id="attach-log">
    <Select id="attach-log" placeholder="" items={LOG} bind:value={job.attach_log} />
  </FormField>
  <NumberField
    label="Attach bundles up to (KiB)"
    id="attach"
    min={0}
    max={25600}
    hint="0: never. Attachments do not count as copies."
    bind:value={attach.kib}
    wrong={at('attach_up_to')}
  />
  {#if channels.length}
    <div role="group" aria-label="Channels" class="mb-3 space-y-1">
      <p class="mb-1 text-sm font-medium">Also send to channels</p>
      {#each channels as channel (channel.name)}
        <Checkbox
          checked={job.channels.includes(channel.name)}
          onchange={() => (job.channels = toggled(job.channels, channel.name))}
          >{channel.name} ({channel.where})</Checkbox
        >
      {/each}
    </div>
  {/if}
</FormSection>
<FormDetails title="Anomaly detection">
  <div class="grid gap-x-5 sm:grid-cols-3">
    <NumberField
      label="Smaller than (percent of the median)"
      id="watch-smaller"
      min={0}
      max={100}
      hint="0: no alert."
      bind:value={() => job.watch.smaller, (value) => (job.watch.smaller = value ?? 0)}
      wrong={at('watch.smaller')}
    />
    <NumberField
      label="Larger than (percent of the median)"
      id="watch-larger"
      min={0}
      bind:value={() => job.watch.larger, (value) => (job.watch.larger = value ?? 0)}
      wrong={at('watch.larger')}
    />
    <NumberField
      label="More changes than (percent of the median)"
      id="watch-changes"
      min={0}
      bind:value={() => job.watch.changes, (value) => (job.watch.changes = value ?? 0)}
      wrong={at('watch.changes')}
    />
  </div>
</FormDetails>
