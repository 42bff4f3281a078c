<script lang="ts">
  // “Before I update”: one run with a name of its own, whose bundles stay for a time.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Input } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { jobsStart } from '../../lib/calls';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import NumberField from '../../ui/fields/NumberField.svelte';
  let { job, covers }: { job: string; covers: string[] } = $props();
  let label = $state('before the update');
  let days = $state<number | null>(30);
  let only = $state('');
  const doing = useAction();
  async function start(event: Event) {
    event.preventDefault();
    await doing.run(async () => {
      const order = { label, keep_days: days ?? 30, names: only ? [only] : [] };
      const run = await jobsStart(job, { full: false, compare: false, ...order });
      push(`/runs/${run.id}`);
    });
  }
</script>

<form onsubmit={start}>
  <div class="grid gap-x-4 sm:grid-cols-2">
    <FormField label="Name" id="label" wrong={doing.problem?.at('label')}>
      <Input id="label" required bind:value={label} />
    </FormField>
    <NumberField label="Keep for (days)" id="keep-days" min={1} max={36500} bind:value={days} />
    <FormField
      label="Only this subject"
      id="only"
      hint="Empty: everything that the job covers."
      wrong={doing.problem?.at('names')}
    >
      <Input id="only" list="covers" bind:value={only} />
      <datalist id="covers"
        >{#each covers as name (name)}<option value={name}></option>{/each}</datalist
      >
    </FormField>
  </div>
  <Button size="sm" type="submit" color="alternative" disabled={!label.trim()}>Start it now</Button>
</form>
<ErrorMessage problem={doing.problem} />
