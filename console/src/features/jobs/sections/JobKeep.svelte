<script lang="ts">
  // How many copies stay, and what each bundle brings.
  import { Input, Select } from 'flowbite-svelte';
  import type { JobForm } from '../../../lib/types';
  import FormField from '../../../ui/fields/FormField.svelte';
  import FormSection from '../../../ui/fields/FormSection.svelte';
  import KeepPicker from '../fields/KeepPicker.svelte';
  import NumberField from '../../../ui/fields/NumberField.svelte';
  let { job = $bindable(), at }: { job: JobForm; at: (field: string) => string } = $props();
  const MODES = [
    { value: 'full', name: 'all its bytes (full)' },
    { value: 'incremental', name: 'only what changed (incremental)' },
  ];
  const HINT =
    'As in 7 newest, 14 daily, 8 weekly, yearly forever; 30 days, at least 3; forever. A copy ' +
    'stays if any part wants it; the last good one always does.';
  function keepOn(store: string, rule: string) {
    const others = Object.entries(job.keep_on).filter(([name]) => name !== store);
    job.keep_on = Object.fromEntries(rule.trim() ? [...others, [store, rule]] : others);
  }
  // What is no store of the job any more has no rule either.
  $effect(() => {
    const strange = Object.keys(job.keep_on).filter((name) => !job.stores.includes(name));
    for (const name of strange) keepOn(name, '');
  });
</script>

<FormSection title="Keep" columns>
  <div class="sm:col-span-2">
    <KeepPicker id="keep" bind:value={job.keep} />
    <FormField label="Copies kept on each store" id="keep" hint={HINT} wrong={at('keep')}>
      <Input id="keep" bind:value={job.keep} />
    </FormField>
  </div>
  {#if job.stores.length > 1}
    {#each job.stores as store (store)}
      <FormField label="Other rule on {store}" id="keep-on-{store}" wrong={at(`keep_on.${store}`)}>
        <Input
          id="keep-on-{store}"
          placeholder="the same"
          value={job.keep_on[store] ?? ''}
          oninput={(e) => keepOn(store, (e.target as HTMLInputElement).value)}
        />
      </FormField>
    {/each}
  {/if}
  <FormField
    label="Keep rule for deleted accounts"
    id="keep-gone"
    hint="Empty: copies are kept until the account is forgotten."
    wrong={at('keep_gone')}
  >
    <Input id="keep-gone" placeholder="the same" bind:value={job.keep_gone} />
  </FormField>
  <FormField
    label="Bundle type"
    id="mode"
    hint="Every bundle can be browsed and restored completely, whatever its type."
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
      label="or when unused data exceeds (percent)"
      id="max-unused-percent"
      min={5}
      max={100}
      bind:value={job.max_unused_percent}
      wrong={at('max_unused_percent')}
    />
    <NumberField
      label="Compare contents every N bundles"
      id="compare-every"
      min={0}
      hint="0: compare only sizes and times."
      bind:value={job.compare_every}
      wrong={at('compare_every')}
    />
  {/if}
</FormSection>
