<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { jobsStart, runsCancel, runsShow } from '../../lib/calls';
  import { live, type Heard } from '../../lib/live.svelte';
  import type { RunDetail, Task } from '../../lib/types';
  import { exact, took } from '../../lib/words';
  import LogViewer from '../../ui/LogViewer.svelte';
  import OutcomeLabel from '../../ui/OutcomeLabel.svelte';
  import TaskRow from './TaskRow.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { params }: { params: { id: string } } = $props();
  const id = $derived(Number(params.id));
  let run = $state<RunDetail | null>(null);
  const action = useAction();
  const loading = useAction();
  async function load() {
    await loading.run(async () => {
      run = await runsShow(id);
    });
  }
  $effect(() => {
    void id;
    load();
  });
  /** The run as an event has changed it. */
  function heard(now: RunDetail | null, kind: string, data: Heard): RunDetail | null {
    if (!now) return now;
    if (kind === 'run' && data.id === id) return { ...now, ...data, tasks: now.tasks };
    if (kind !== 'task' || data.run !== id) return now;
    const task = data.task as Task;
    return { ...now, tasks: now.tasks.map((one) => (one.id === task.id ? task : one)) };
  }
  $effect(() =>
    live.on((kind, data) => {
      run = heard(run, kind, data);
      if (
        kind === 'reset' ||
        kind === 'hello' ||
        (kind === 'run' && data.id === id && data.state === 'ended')
      )
        load();
    }),
  );
  const failed = $derived(
    run?.state === 'ended' &&
      run.tasks.some((task) => !['done', 'warned'].includes(task.outcome ?? '')),
  );
  async function again(failedOf: number) {
    await action.run(async () => {
      const order = { full: false, compare: false, failed_of: failedOf };
      push(`/runs/${(await jobsStart(run!.job, order)).id}`);
    });
  }
  async function cancel() {
    await action.run(async () => {
      await runsCancel(id);
    });
  }
</script>

<ErrorMessage problem={action.problem ?? loading.problem} />
{#if run}
  <div class="mb-3 flex flex-wrap items-center gap-3">
    <h1>Run {run.id} of <a class="link" href="#/jobs/{run.job}">{run.job}</a></h1>
    <span class="mr-auto"><OutcomeLabel outcome={run.outcome} state={run.state} /></span>
    {#if run.state === 'ended'}
      {#if failed}<Button size="sm" color="alternative" onclick={() => again(id)}
          >Retry failed tasks</Button
        >{/if}
      <Button size="sm" onclick={() => again(0)}>Start again</Button>
    {:else}<Button size="sm" color="alternative" onclick={cancel}>Cancel</Button>{/if}
  </div>
  {#if run.sentence}<p class="mb-2 max-w-4xl" data-testid="sentence">{run.sentence}</p>{/if}
  <p class="mb-4 text-sm text-faint">
    {run.label ? `“${run.label}”. ` : ''}Started {run.started
      ? exact(run.started, run.zone)
      : 'not yet'} by {run.started_by}; {run.ended
      ? `ended ${exact(run.ended, run.zone)}, took ${took(run.started, run.ended)}`
      : `${run.tasks_done} of ${run.tasks_total} tasks done`}.
  </p>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="sheet mb-6 overflow-x-auto" tabindex="0" role="region" aria-label="Tasks">
    <table class="ledger">
      <thead
        ><tr
          ><th scope="col">Subject</th><th scope="col">Outcome</th><th scope="col" class="num"
            >Entries</th
          ><th scope="col" class="num">Size</th><th scope="col" class="num">Stored</th><th
            scope="col"
            class="num">Took</th
          ><th scope="col">Since the previous bundle</th><th scope="col">Copies</th></tr
        ></thead
      >
      <tbody
        >{#each run.tasks as task (task.id)}<TaskRow {task} />{:else}<tr
            ><td colspan="8" class="text-faint">This run has no tasks.</td></tr
          >{/each}</tbody
      >
    </table>
  </div>
  <LogViewer owner={id} kind="run" zone={run.zone} />
{/if}
