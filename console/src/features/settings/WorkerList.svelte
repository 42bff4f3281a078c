<script lang="ts">
  // Workers on other machines: what each does, and codes to enrol another.
  import { Button, Input } from 'flowbite-svelte';
  import { useAction } from '../../lib/action.svelte';
  import { workersCode, workersDrain, workersList, workersRemove } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import { live } from '../../lib/live.svelte';
  import type { FleetWorker, WorkerCode } from '../../lib/types';
  import ConfirmDialog from '../../ui/ConfirmDialog.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  const known = new Loader(workersList);
  let queue = $state('');
  let made = $state<WorkerCode | null>(null);
  let removing = $state('');
  const doing = useAction();
  $effect(() => {
    known.load();
  });
  $effect(() => live.refresh(['workers', 'task', 'run'], () => known.load()));
  async function makeCode(event: Event) {
    event.preventDefault();
    await doing.run(async () => (made = await workersCode({ queue })));
  }
  async function drain(worker: FleetWorker) {
    await doing.run(() => workersDrain(worker.name, { drains: worker.state !== 'draining' }));
    await known.load();
  }
  const marks: Record<FleetWorker['state'], string> = {
    there: '●',
    draining: '◇',
    away: '■',
    'other version': '▲',
  };
  const doings = (worker: FleetWorker) =>
    (worker.tasks ?? []).map((task) => `${task.kind} ${task.subject}`).join(', ') ||
    `nothing, takes ${worker.slots}`;
</script>

<section class="sheet p-5" aria-labelledby="workers">
  <h2 id="workers" class="mb-2">Workers on other machines</h2>
  {#if known.value?.items.length}
    <div class="mb-4 overflow-x-auto">
      <table class="ledger">
        <thead
          ><tr
            ><th scope="col">Worker</th><th scope="col">Queue</th><th scope="col">State</th><th
              scope="col">Under way</th
            ><th scope="col"><span class="sr-only">Actions</span></th></tr
          ></thead
        >
        <tbody
          >{#each known.value.items as worker (worker.name)}<tr
              ><td
                >{worker.name}<br /><span class="text-sm text-faint"
                  >{worker.place || 'not seen yet'}, {worker.version}</span
                ></td
              ><td>{worker.queue}</td><td class="whitespace-nowrap"
                ><span aria-hidden="true">{marks[worker.state]}</span>
                {worker.state}{#if worker.state === 'away' && worker.last_seen}<br /><span
                    class="text-sm text-faint"><Timestamp at={worker.last_seen} /></span
                  >{/if}</td
              ><td>{doings(worker)}</td><td class="whitespace-nowrap"
                ><Button
                  size="xs"
                  color="alternative"
                  onclick={() => drain(worker)}
                  aria-label="{worker.state === 'draining' ? 'Use again' : 'Drain'} {worker.name}"
                  >{worker.state === 'draining' ? 'Use again' : 'Drain'}</Button
                >
                <Button
                  size="xs"
                  color="alternative"
                  onclick={() => (removing = worker.name)}
                  aria-label="Remove {worker.name}">Remove</Button
                ></td
              ></tr
            >{/each}</tbody
        >
      </table>
    </div>
  {:else}<p class="mb-4">None: this machine does all work.</p>{/if}
  <form onsubmit={makeCode} class="max-w-sm">
    <FormField
      label="Queue of a new worker"
      id="worker-queue"
      hint="Makes a code that enrols one worker, within a day."
      wrong={doing.problem?.at('queue')}
    >
      <Input id="worker-queue" bind:value={queue} placeholder="north" />
    </FormField>
    <Button type="submit" size="sm" disabled={!queue || doing.busy}>Make a code</Button>
  </form>
  {#if made}
    <p class="mt-3">On the new machine, give this code to <code>fasciculus worker</code>:</p>
    <p class="wrap-anywhere"><code>{made.code}</code></p>
  {/if}
  <ErrorMessage problem={doing.problem ?? known.problem} />
</section>
<ConfirmDialog
  bind:open={() => !!removing, (open) => (removing = open ? removing : '')}
  title="Remove the worker"
  name={removing}
  what="Its tasks end, and its keys become void."
  action={async () => {
    await workersRemove(removing);
    await known.load();
  }}
/>
