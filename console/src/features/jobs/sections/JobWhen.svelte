<script lang="ts">
  // When it starts by itself, and what holds it back.
  import { Input, Select, Toggle } from 'flowbite-svelte';
  import type { JobForm } from '../../../lib/types';
  import FormDetails from '../../../ui/fields/FormDetails.svelte';
  import FormField from '../../../ui/fields/FormField.svelte';
  import FormSection from '../../../ui/fields/FormSection.svelte';
  import LinesField from '../../../ui/fields/LinesField.svelte';
  import NumberField from '../../../ui/fields/NumberField.svelte';
  import TimetablePicker from '../fields/TimetablePicker.svelte';
  import ZoneField from '../../../ui/fields/ZoneField.svelte';
  let { job = $bindable(), at }: { job: JobForm; at: (field: string) => string } = $props();
  const OVERLAPS = [
    { value: 'skip', name: 'the new start is skipped' },
    { value: 'wait', name: 'the new run waits for its end' },
    { value: 'cancel', name: 'the previous run is cancelled' },
  ];
  const MISSED = [
    { value: 'once', name: 'caught up once' },
    { value: 'skip', name: 'skipped' },
  ];
  const PRIORITIES = ['high', 'normal', 'low'].map((value) => ({ value, name: value }));
  const held = $derived(
    !!(job.starting.hours || job.starting.first_day || job.starting.last_day) ||
      job.starting.days_off.length > 0 ||
      job.starting.spread > 0,
  );
</script>

<FormSection title="When" columns>
  <div class="sm:col-span-2"><TimetablePicker bind:value={job.timetable} /></div>
  <FormField
    label="Timetable"
    id="timetable"
    hint="Such as daily 02:15, monthly last sun 03:00, or a cron expression; join with semicolons."
    wrong={at('timetable')}
  >
    <Input id="timetable" bind:value={job.timetable} />
  </FormField>
  <ZoneField bind:value={job.zone} wrong={at('zone')} />
  <Toggle bind:checked={job.enabled}>Enabled</Toggle>
</FormSection>
<FormDetails title="Start conditions" open={held}>
  <div class="grid gap-x-5 sm:grid-cols-2">
    <FormField
      label="Allowed hours"
      id="hours-allowed"
      hint="Such as 22:00-05:00: no task starts outside these hours. Empty: the whole day."
      wrong={at('starting.hours')}
    >
      <Input id="hours-allowed" bind:value={job.starting.hours} placeholder="22:00-05:00" />
    </FormField>
    <NumberField
      label="Spread starts over (minutes)"
      id="spread"
      min={0}
      max={1440}
      hint="Each subject starts at about the same time every night. 0: all at once."
      bind:value={() => job.starting.spread, (value) => (job.starting.spread = value ?? 0)}
      wrong={at('starting.spread')}
    />
    <FormField label="First day" id="first-day" wrong={at('starting.first_day')}>
      <Input
        id="first-day"
        type="date"
        bind:value={
          () => job.starting.first_day ?? '', (value) => (job.starting.first_day = value || null)
        }
      />
    </FormField>
    <FormField label="Last day" id="last-day" wrong={at('starting.last_day')}>
      <Input
        id="last-day"
        type="date"
        bind:value={
          () => job.starting.last_day ?? '', (value) => (job.starting.last_day = value || null)
        }
      />
    </FormField>
    <FormField
      label="Days without runs"
      id="days-off"
      hint="One per line: 2026-12-25, 12-25 for each year, or 12-24..01-01."
      wrong={at('starting.days_off')}
    >
      <LinesField id="days-off" bind:value={job.starting.days_off} />
    </FormField>
    <div>
      <FormField label="If the previous run is still running" id="overlap">
        <Select id="overlap" placeholder="" items={OVERLAPS} bind:value={job.starting.overlap} />
      </FormField>
      <FormField label="Starts missed while the service was down" id="missed">
        <Select id="missed" placeholder="" items={MISSED} bind:value={job.starting.missed} />
      </FormField>
      <FormField label="Task priority" id="priority">
        <Select
          id="priority"
          placeholder=""
          items={PRIORITIES}
          bind:value={job.starting.priority}
        />
      </FormField>
    </div>
  </div>
</FormDetails>
<FormDetails title="Retries and time limits">
  <div class="grid gap-x-5 sm:grid-cols-2">
    <NumberField
      label="Retries"
      id="retries"
      min={0}
      max={20}
      hint="Only after temporary errors, and only in runs started by the timetable."
      bind:value={() => job.limits.retries, (value) => (job.limits.retries = value ?? 0)}
      wrong={at('limits.retries')}
    />
    <NumberField
      label="Wait between retries (minutes)"
      id="retry-pause"
      min={1}
      max={1440}
      bind:value={() => job.limits.pause, (value) => (job.limits.pause = value ?? 10)}
      wrong={at('limits.pause')}
    />
    <NumberField
      label="Stop a run after (minutes)"
      id="run-minutes"
      min={0}
      max={10080}
      hint="0: no limit."
      bind:value={() => job.limits.run, (value) => (job.limits.run = value ?? 0)}
      wrong={at('limits.run')}
    />
    <NumberField
      label="Stop a task after (minutes)"
      id="task-minutes"
      min={0}
      max={10080}
      bind:value={() => job.limits.task, (value) => (job.limits.task = value ?? 0)}
      wrong={at('limits.task')}
    />
    <NumberField
      label="Stop a task if one step takes longer than (minutes)"
      id="step-minutes"
      min={0}
      max={10080}
      bind:value={() => job.limits.step, (value) => (job.limits.step = value ?? 0)}
      wrong={at('limits.step')}
    />
  </div>
</FormDetails>
