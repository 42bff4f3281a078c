<script lang="ts">
  import { reportsShow } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import { exact } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { params }: { params: { id: string } } = $props();
  const found = new Loader(() => reportsShow(Number(params.id)));
  const report = $derived(found.value);
  $effect(() => {
    void params.id;
    found.load();
  });
</script>

<ErrorMessage problem={found.problem} />
{#if report}
  <h1 class="mb-1">{report.title}</h1>
  <p class="mb-3 text-sm text-faint">
    To {report.channel || report.recipients.join(', ')}; written {exact(report.at)}; {report.sent
      ? `sent ${exact(report.sent)}`
      : `waiting: ${report.last_error || 'it is being sent'}`}.
    {#if report.run}<a class="link" href="#/runs/{report.run}">Run {report.run}</a>{/if}
  </p>
  <iframe
    sandbox=""
    src="/api/v1/messages/report/{report.id}"
    title="The message as sent"
    class="sheet h-[70vh] w-full"
  ></iframe>
  <details class="mt-3">
    <summary class="cursor-pointer">As plain text</summary>
    <pre class="sheet mt-2 overflow-x-auto p-4 text-sm">{report.text}</pre>
  </details>
{/if}
