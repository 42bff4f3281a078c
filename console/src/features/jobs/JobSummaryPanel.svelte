<script lang="ts">
  // Beside the job editor: what the job would do, as it stands.
  import type { Problem } from '../../lib/api.svelte';
  import type { JobSummary } from '../../lib/types';
  import { count, exact, relative, size } from '../../lib/words';
  let {
    summary,
    wrong,
    zone,
  }: { summary: JobSummary | null; wrong: Problem | null; zone: string } = $props();
  const sizeText = (s: JobSummary) =>
    [
      count(s.covers.length, 'subject'),
      s.bytes ? `; last seen ${size(s.bytes)}, ${size(s.packed)} stored` : '',
      '.',
      s.unmeasured
        ? ` ${count(s.unmeasured, 'subject has', 'subjects have')} no bundle yet to measure by.`
        : '',
    ].join('');
  const shown = (moment: string) => {
    try {
      return exact(moment, zone);
    } catch {
      return exact(moment);
    }
  };
</script>

<aside class="space-y-4" aria-live="polite">
  <section class="sheet p-4">
    <h2 class="mb-1">Summary</h2>
    {#if wrong}<p class="text-amber-ink">▲ Not complete yet: {wrong.message}</p>
    {:else if summary}<p data-testid="summary">{summary.sentence}</p>{:else}<p class="text-faint">
        …
      </p>{/if}
  </section>
  {#if summary && !wrong}
    <section class="sheet p-4">
      <h2 class="mb-1">Next starts</h2>
      {#each summary.starts as start (start)}<div class="flex justify-between gap-3 tabular-nums">
          <span>{shown(start)}</span><span class="text-faint">{relative(start)}</span>
        </div>{:else}<p class="text-faint">Started by hand only.</p>{/each}
    </section>
    <section class="sheet p-4">
      <h2 class="mb-1">Size</h2>
      <p>
        {sizeText(summary)}
      </p>
      {#if summary.packed}
        <table class="ledger mt-2 text-sm">
          <thead
            ><tr
              ><th scope="col">Place</th><th scope="col" class="num">Needs up to</th><th
                scope="col"
                class="num">Free</th
              ></tr
            ></thead
          >
          <tbody
            >{#each summary.space ?? [] as row (row.place)}<tr title={row.why}
                ><td>{row.place}</td><td class="num">{size(row.needed)}</td><td
                  class="num {row.free != null && row.free < row.needed ? 'text-brick' : ''}"
                  >{row.free == null ? 'not told' : size(row.free)}</td
                ></tr
              >{/each}</tbody
          >
        </table>
        <p class="mt-1 text-sm text-faint">{summary.space?.at(-1)?.why}.</p>
      {/if}
    </section>
    {#if summary.advice.length}
      <section class="sheet p-4">
        <h2 class="mb-1">Advice</h2>
        <ul class="space-y-1">
          {#each summary.advice as line (line)}<li class="flex gap-2">
              <span class="text-amber-ink" aria-hidden="true">▲</span><span>{line}</span>
            </li>{/each}
        </ul>
      </section>
    {/if}
  {/if}
</aside>
