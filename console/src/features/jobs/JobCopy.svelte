<script lang="ts">
  // A new job out of this one's settings, for another store or rhythm.
  import { Button, Checkbox, Input } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { jobsCopy } from '../../lib/calls';
  import { Problem } from '../../lib/api.svelte';
  import { asProblem } from '../../lib/loader.svelte';
  import type { JobForm, Store } from '../../lib/types';
  import { toggled } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/FormField.svelte';
  import TimetablePicker from './TimetablePicker.svelte';
  let { job, stores }: { job: JobForm; stores: Store[] } = $props();
  let name = $state('');
  // svelte-ignore state_referenced_locally
  let timetable = $state(job.timetable);
  // svelte-ignore state_referenced_locally
  let chosen = $state([...job.stores]);
  let problem = $state<Problem | null>(null);
  async function copy(event: Event) {
    event.preventDefault();
    try {
      const order = { name, timetable, stores: $state.snapshot(chosen), enabled: false };
      await jobsCopy(job.name, order);
      push(`/jobs/${name}`);
    } catch (error) {
      problem = asProblem(error);
    }
  }
</script>

<form onsubmit={copy}>
  <FormField label="Name" id="copy-name" wrong={problem?.at('name')}>
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
<ErrorMessage {problem} />
