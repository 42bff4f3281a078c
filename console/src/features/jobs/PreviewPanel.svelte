<script lang="ts">
  // Measures, on demand, what the job as it stands would take of one subject.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Select } from 'flowbite-svelte';
  import { previewsCancel, previewsShow, previewsStart } from '../../lib/calls';
  import type { JobForm, Preview } from '../../lib/types';
  import { count, size } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { job, covers }: { job: JobForm; covers: string[] } = $props();
  let subject = $state('');
  let found = $state<Preview | null>(null);
  const action = useAction();
  let number = $state(0);
  const running = $derived(found?.state === 'running');
  $effect(() => {
    if (!covers.includes(subject)) subject = covers[0] ?? '';
  });
  async function measure() {
    const went = await action.run(async () => {
      const mine = (number = (await previewsStart({ job: $state.snapshot(job) as never, subject }))
        .id);
      do {
        found = await previewsShow(mine);
        if (found.state === 'running') await new Promise((done) => setTimeout(done, 250));
      } while (found.state === 'running' && mine === number);
    });
    if (!went) found = null;
  }
  const stop = () => previewsCancel(number);
</script>

<section class="sheet p-4">
  <h2 class="mb-2">Measured</h2>
  <div class="mb-2 flex gap-2">
    <Select
      aria-label="Subject to measure"
      size="sm"
      placeholder=""
      items={covers.map((name) => ({ value: name, name }))}
      bind:value={subject}
    />
    {#if running}<Button size="sm" color="alternative" onclick={stop}>Cancel</Button>{:else}<Button
        size="sm"
        color="alternative"
        onclick={measure}
        disabled={!subject}>Measure</Button
      >{/if}
  </div>
  <ErrorMessage problem={action.problem} />
  <div aria-live="polite">
    {#if found && running}<p class="tabular-nums">
        {count(found.entries, 'entry', 'entries')}, {size(found.bytes)} so far …
      </p>
    {:else if found && found.outcome !== 'done'}<p class="text-brick">■ {found.error}</p>
    {:else if found}
      <p data-testid="preview">
        {count(found.entries, 'entry', 'entries')}, {size(found.bytes)}; about {size(found.packed)}
        packed.
        {#if found.new}
          New since the last bundle: {count(found.new.entries, 'file')}, {size(found.new.bytes)}.
        {/if}
      </p>
      {#if found.folders.length}
        <h3 class="mt-3 text-sm font-semibold">Largest folders</h3>
        <table class="w-full text-sm">
          <tbody
            >{#each found.folders.slice(0, 8) as folder (folder.path)}<tr
                ><td class="wrap-anywhere">{folder.path}</td><td class="num pl-3"
                  >{size(folder.bytes)}</td
                ></tr
              >{/each}</tbody
          >
        </table>
      {/if}
      {#if found.saved.length}
        <h3 class="mt-3 text-sm font-semibold">Excluded</h3>
        <table class="w-full text-sm">
          <tbody
            >{#each found.saved.slice(0, 12) as row (row.rule)}<tr
                ><td class="wrap-anywhere">{row.rule}</td><td class="num pl-3"
                  >{count(row.entries, 'entry', 'entries')}</td
                ><td class="num pl-3">{size(row.bytes)}</td></tr
              >{/each}</tbody
          >
        </table>
      {/if}
      {#each found.warnings.slice(0, 5) as warning (warning)}<p class="text-sm text-amber-ink">
          ▲ {warning}
        </p>{/each}
    {:else}<p class="text-sm text-faint">Reads only names and sizes; nothing is stored.</p>{/if}
  </div>
</section>
