<script lang="ts">
  // A new job out of this one's settings, for another store or rhythm.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Checkbox, Input } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { jobsCopy } from '../../lib/calls';
  import type { JobForm, Store } from '../../lib/types';
  import { toggled } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import TimetablePicker from './fields/TimetablePicker.svelte';
  let { job, stores }: { job: JobForm; stores: Store[] } = $props();
  let name = $state('');
  // svelte-ignore state_referenced_locally
  let timetable = $state(job.timetable);
  // svelte-ignore state_referenced_locally
  let chosen = $state([...job.stores]);
  const doing = useAction();
  async function copy(event: Event) {
    event.preventDefault();
    await doing.run(async () => {
      const order = { name, timetable, stores: $state.snapshot(chosen), enabled: false };
      await jobsCopy(job.name, order);
      push(`/jobs/${name}`);
    });
  }
</script>

<form onsubmit={copy}>
  <FormField label="Name" id="copy-name" wrong={doing.problem?.at('name')}>
    <Input id="copy-name" required bind:value={name} placeholder="{job.name}-weekly" />
  </FormField>
  <TimetablePicker bind:value={timetable} />
  <div role="group" aria-label="Stores" class="mb-3 flex flex-wrap gap-3">
    {#each stores as store (store.name)}
      <Checkbox
        checked={chosen.includes(store.name)}
        onchange={() => (chosen = toggled(chosen, store.name))}>{store.name}</Checkbox
      >
    {/each}
  </div>
  <p class="mb-3 text-sm text-faint">The copy is disabled until you enable it.</p>
  <Button size="sm" type="submit" color="alternative" disabled={!name || !chosen.length}
    >Create job</Button
  >
</form>
<ErrorMessage problem={doing.problem} />
