<script lang="ts">
  // Notes, commands around the task, the hold page.
  import { Button, Checkbox, Input, Select } from 'flowbite-svelte';
  import type { JobForm } from '../../../lib/types';
  let { job = $bindable(), at }: { job: JobForm; at: (field: string) => string } = $props();
  const WHEN = [
    { value: 'before', name: 'before' },
    { value: 'after_success', name: 'after success' },
    { value: 'after_failure', name: 'after failure' },
    { value: 'always', name: 'always afterwards' },
  ];
</script>

<p class="mb-2 text-sm text-faint">
  Commands run on the subject’s host. {'{account}'} stands for its name, {'{home}'} for its home.
</p>
<div class="mb-1 font-semibold">Notes: commands whose output is stored in the bundle</div>
{#each job.notes as note, n (n)}
  <div class="mb-2 grid grid-cols-[8rem_1fr_5rem_auto] gap-2">
    <Input aria-label="Name of the note" bind:value={note.name} placeholder="disk-usage" /><Input
      aria-label="Command"
      class="font-mono text-sm"
      bind:value={note.command}
      placeholder={'du -s {home}'}
    /><Input
      aria-label="Time limit (seconds)"
      type="number"
      min="1"
      bind:value={note.seconds}
    /><Button size="xs" color="alternative" onclick={() => job.notes.splice(n, 1)}>Remove</Button>
  </div>
{/each}
{#if at('notes')}<p role="alert" class="text-sm text-brick">■ {at('notes')}</p>{/if}
<Button
  size="xs"
  color="alternative"
  onclick={() => {
    job.notes.push({ name: '', command: '', seconds: 60 });
    if (!job.contents.includes('notes')) job.contents = [...job.contents, 'notes'];
  }}>Add a note</Button
>
<div class="mt-4 mb-1 font-semibold">Commands before and after the task</div>
{#each job.commands as command, n (n)}
  <div class="mb-2 grid grid-cols-[9rem_1fr_5rem_auto] gap-2">
    <Select aria-label="When" placeholder="" items={WHEN} bind:value={command.when} /><Input
      aria-label="Command"
      class="font-mono text-sm"
      bind:value={command.command}
    /><Input
      aria-label="Time limit (seconds)"
      type="number"
      min="1"
      bind:value={command.seconds}
    /><Button size="xs" color="alternative" onclick={() => job.commands.splice(n, 1)}>Remove</Button
    >
    {#if command.when === 'before'}<div class="col-start-2">
        <Checkbox bind:checked={command.stops}>Stop the task if it fails</Checkbox>
      </div>{/if}
  </div>
{/each}
{#if at('commands')}<p role="alert" class="text-sm text-brick">■ {at('commands')}</p>{/if}
<Button
  size="xs"
  color="alternative"
  onclick={() => job.commands.push({ when: 'before', command: '', seconds: 300, stops: true })}
  >Add a command</Button
>
<div class="mt-4">
  <Checkbox bind:checked={job.hold_page}>Hold page: sites answer 503 during the backup</Checkbox>
</div>
