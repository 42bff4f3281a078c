<script lang="ts">
  // Runs that are queued or running.
  import type { Run } from '../../lib/types';
  import { count } from '../../lib/words';
  import OutcomeLabel from '../../ui/OutcomeLabel.svelte';
  let { runs }: { runs: Run[] } = $props();
</script>

<section class="lg:col-span-2" aria-labelledby="running">
  <h2 id="running" class="mb-2">Running now</h2>
  <div class="sheet divide-y divide-rule">
    {#each runs as run (run.id)}
      <a
        href="#/runs/{run.id}"
        class="flex flex-wrap gap-x-6 px-4 py-2 hover:bg-gray-100 dark:hover:bg-gray-800"
      >
        <OutcomeLabel state={run.state} />
        <span class="link">run {run.id} of {run.job}</span>
        <span class="tabular-nums">{run.tasks_done} of {count(run.tasks_total, 'task')} done</span>
      </a>
    {/each}
  </div>
</section>
