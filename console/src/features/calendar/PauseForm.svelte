<script lang="ts">
  // Pauses a job, or everything where no job is named, until a moment or until resumed.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Input } from 'flowbite-svelte';
  import { jobsPause, jobsResume, pausesLift, pausesSet } from '../../lib/calls';
  import type { Pause } from '../../lib/types';
  import { exact } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  let { job = '', pause, changed }: { job?: string; pause?: Pause; changed: () => void } = $props();
  let until = $state('');
  let reason = $state('');
  const doing = useAction();
  const id = $derived(job || 'all');
  async function act(call: Promise<unknown>) {
    await doing.run(async () => {
      await call;
      until = reason = '';
      changed();
    });
  }
  function set(event: Event) {
    event.preventDefault();
    const order = { reason, until: until ? new Date(until).toISOString() : null };
    act(job ? jobsPause(job, order) : pausesSet(order));
  }
</script>

{#if pause}
  <p class="mb-2 text-amber-ink">
    <span aria-hidden="true">▲</span>
    {job ? 'Paused' : 'Everything is paused'}
    {pause.until ? `until ${exact(pause.until)}` : 'until resumed'}{pause.reason
      ? `: ${pause.reason}`
      : ''} (by {pause.who}).
  </p>
  <Button size="sm" onclick={() => act(job ? jobsResume(job) : pausesLift())}>Resume</Button>
{:else}
  <form onsubmit={set}>
    <div class="grid gap-x-4 sm:grid-cols-2">
      <FormField
        label="Until"
        id="until-{id}"
        hint="In your time zone. Empty: until resumed."
        wrong={doing.problem?.at('until')}
      >
        <Input id="until-{id}" type="datetime-local" bind:value={until} />
      </FormField>
      <FormField label="Why" id="why-{id}"><Input id="why-{id}" bind:value={reason} /></FormField>
    </div>
    <Button size="sm" type="submit" color="alternative"
      >{job ? 'Pause this job' : 'Pause everything'}</Button
    >
  </form>
{/if}
<ErrorMessage problem={doing.problem} />
