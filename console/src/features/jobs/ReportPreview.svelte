<script lang="ts">
  // The report of the last run as it would be written now, and a way to send it to oneself.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Input } from 'flowbite-svelte';
  import { jobsReport, jobsReportTry } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import type { TryResult } from '../../lib/types';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import StepList from '../../ui/StepList.svelte';
  let { job }: { job: string } = $props();
  const preview = new Loader(() => jobsReport(job));
  const sending = useAction();
  let to = $state('');
  let tried = $state<TryResult | null>(null);
  $effect(() => {
    void job;
    preview.load();
  });
  async function send() {
    await sending.run(async () => {
      tried = await jobsReportTry(job, { to });
    });
  }
</script>

<ErrorMessage problem={sending.problem ?? preview.problem} />
{#if preview.value}
  <p class="mb-2 font-medium">{preview.value.title}</p>
  <iframe
    sandbox=""
    src="/api/v1/messages/job/{job}"
    title="The report of the last run"
    class="sheet mb-3 h-96 w-full"
  ></iframe>
  <div class="flex gap-3">
    <Input size="sm" aria-label="Address" placeholder="Address" bind:value={to} />
    <Button size="sm" color="alternative" onclick={send} disabled={!to.includes('@')}
      >Send me a test</Button
    >
  </div>
  {#if tried}<div class="mt-2"><StepList {tried} /></div>{/if}
{/if}
