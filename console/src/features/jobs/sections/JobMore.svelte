<script lang="ts">
  // What else can be done with a job that is saved, each part folded away until it is wanted.
  import { pausesList } from '../../../lib/calls';
  import { live } from '../../../lib/live.svelte';
  import { Loader } from '../../../lib/loader.svelte';
  import type { JobForm, Store } from '../../../lib/types';
  import PauseForm from '../../calendar/PauseForm.svelte';
  import FormDetails from '../../../ui/fields/FormDetails.svelte';
  import JobChanges from '../JobChanges.svelte';
  import JobCopy from '../JobCopy.svelte';
  import ReportPreview from '../ReportPreview.svelte';
  import StartAddress from '../StartAddress.svelte';
  import StartNamed from '../StartNamed.svelte';
  let {
    job,
    stores,
    covers,
    reload,
  }: { job: JobForm; stores: Store[]; covers: string[]; reload: () => void } = $props();
  const pauses = new Loader(pausesList);
  pauses.load();
  $effect(() => live.refresh(['jobs'], () => pauses.load()));
  const pause = $derived(pauses.value?.items.find((row) => row.job === job.name));
  const PARTS = [
    ['address', 'Start it from outside'],
    ['report', 'Its report'],
    ['copy', 'Copy it'],
    ['changes', 'Changes'],
  ];
  let open = $state<Record<string, boolean>>({});
</script>

{#snippet part(name: string)}
  {#if name === 'address'}<StartAddress job={job.name} />
  {:else if name === 'copy'}<JobCopy {job} {stores} />
  {:else if name === 'changes'}<JobChanges job={job.name} taken={reload} />
  {:else}<ReportPreview job={job.name} />{/if}
{/snippet}
<section class="sheet divide-y divide-rule" aria-label="More for this job">
  <FormDetails title={pause ? 'Paused' : 'Pause'} open={!!pause}>
    <PauseForm job={job.name} {pause} changed={() => pauses.load()} />
  </FormDetails>
  <FormDetails title="Run now with a label">
    <StartNamed job={job.name} {covers} />
  </FormDetails>
  {#each PARTS as [name, title] (name)}
    <details class="p-4" ontoggle={(e) => (open[name] = e.currentTarget.open)}>
      <summary class="cursor-pointer font-semibold">{title}</summary>
      <div class="mt-3">
        {#if open[name]}{@render part(name)}{/if}
      </div>
    </details>
  {/each}
</section>
