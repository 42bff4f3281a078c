<script lang="ts">
  // The last runs that ended.
  import type { Run } from '../../lib/types';
  import { size, took } from '../../lib/words';
  import OutcomeLabel from '../../ui/OutcomeLabel.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  let { runs }: { runs: Run[] } = $props();
</script>

<section aria-labelledby="recent">
  <div class="mb-2 flex items-center">
    <h2 id="recent" class="mr-auto">Recent runs</h2>
    <a class="link text-sm" href="#/runs">All runs</a>
  </div>
  <div class="sheet overflow-x-auto">
    {#if runs.length}
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col">Run</th>
            <th scope="col">Outcome</th>
            <th scope="col">Ended</th>
            <th scope="col" class="num">Took</th>
            <th scope="col" class="num">Stored</th>
          </tr>
        </thead>
        <tbody>
          {#each runs as run (run.id)}
            <tr>
              <td><a class="link" href="#/runs/{run.id}">{run.id} {run.job}</a></td>
              <td><OutcomeLabel outcome={run.outcome} /></td>
              <td><Timestamp at={run.ended} zone={run.zone} /></td>
              <td class="num">{took(run.started, run.ended)}</td>
              <td class="num">{size(run.packed)}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    {:else}
      <p class="p-4 text-faint">None.</p>
    {/if}
  </div>
</section>
