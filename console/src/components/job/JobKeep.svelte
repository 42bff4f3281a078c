<script lang="ts">
  // How many copies stay, and what each bundle brings.
  import { Select } from 'flowbite-svelte';
  import type { JobForm } from '../../lib/types';
  import FormField from '../FormField.svelte';
  import FormSection from '../FormSection.svelte';
  import NumberField from '../NumberField.svelte';
  let { job = $bindable(), at }: { job: JobForm; at: (field: string) => string } = $props();
  const MODES = [
    { value: 'full', name: 'all its bytes (full)' },
    { value: 'incremental', name: 'only what changed (incremental)' },
  ];
</script>

<FormSection title="Keep" columns>
  <NumberField
    label="Newest copies that stay, on each store"
    id="keep"
    min={1}
    bind:value={job.keep}
    wrong={at('keep')}
  />
  <FormField
    label="Each bundle brings"
    id="mode"
    hint="Either way every bundle is complete to look at and to restore."
  >
    <Select id="mode" placeholder="" items={MODES} bind:value={job.mode} />
  </FormField>
  {#if job.mode === 'incremental'}
    <NumberField
      label="A new full bundle after (days)"
      id="full-every"
      min={1}
      bind:value={job.full_every}
      wrong={at('full_every')}
    />
    <NumberField
      label="or when more than (percent) is dead weight"
      id="dead-share"
      min={5}
      max={100}
      bind:value={job.dead_share}
      wrong={at('dead_share')}
    />
    <NumberField
      label="Compare contents every so many bundles"
      id="compare-every"
      min={0}
      hint="0: sizes and times are trusted."
      bind:value={job.compare_every}
      wrong={at('compare_every')}
    />
  {/if}
</FormSection>
