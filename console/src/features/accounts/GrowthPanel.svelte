<script lang="ts">
  // How a subject grows: the size of each bundle, what was new in it, and what it takes per store.
  import { growthShow } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import { live } from '../../lib/live.svelte';
  import type { Growth } from '../../lib/types';
  import { exact, size } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { subject, kind }: { subject: string; kind: string } = $props();
  const known = new Loader(() =>
    growthShow({ subject, kind: kind as 'account' | 'site' | 'host' }),
  );
  const growth = $derived(known.value);
  $effect(() => {
    void subject;
    known.load();
  });
  $effect(() => live.refresh(['bundles', 'stores'], () => known.load()));
  const shown = $derived(growth?.points.slice(-60) ?? []);
  const most = $derived(Math.max(1, ...shown.map((p) => p.bytes)));
  const newest = (g: Growth) => {
    const last = g.points[g.points.length - 1];
    const what = last.new_bytes < last.bytes ? 'stores only what changed' : 'is a full one';
    return `The newest bundle ${what}: ${size(last.packed)} packed, of ${size(last.bytes)} in it.`;
  };
</script>

<ErrorMessage problem={known.problem} />
{#if growth && shown.length}
  <section class="mt-6" aria-labelledby="growth">
    <h2 id="growth" class="mb-2">Growth</h2>
    <div class="sheet grid grid-cols-1 gap-5 p-4 lg:grid-cols-[minmax(0,2fr)_minmax(0,1fr)]">
      <div>
        <div class="flex h-28 items-end gap-0.5 border-b border-rule" aria-hidden="true">
          {#each shown as p (p.bundle)}
            <a
              href="#/bundles/{p.bundle}"
              tabindex="-1"
              class="flex h-full max-w-10 min-w-1 flex-1 flex-col justify-end"
              title="{exact(p.moment)}, {p.job}: shows {size(p.bytes)}, brought {size(
                p.new_bytes,
              )}, {size(p.packed)} packed"
            >
              <span
                class="block bg-primary-200 dark:bg-primary-800"
                style="height:{(100 * Math.max(0, p.bytes - p.new_bytes)) / most}%"
              ></span>
              <span
                class="block bg-primary-600 dark:bg-primary-400"
                style="height:{(100 * Math.min(p.bytes, p.new_bytes)) / most}%"
              ></span>
            </a>
          {/each}
        </div>
        <p class="mt-1 text-sm text-faint">
          The last {shown.length} bundles; the largest shows {size(most)}.
          <br />Dark: new data. Light: already stored.
        </p>
      </div>
      <div class="text-sm">
        <p>{newest(growth)}</p>
        {#if growth.per_week !== null}
          <p>
            Change a week: {growth.per_week < 0 ? '−' : '+'}{size(Math.abs(growth.per_week))}.
          </p>
        {/if}
        <table class="ledger mt-2">
          <thead
            ><tr
              ><th scope="col">Store</th><th scope="col" class="num">Copies</th><th
                scope="col"
                class="num">Stored</th
              ><th scope="col" class="num">Unused</th></tr
            ></thead
          >
          <tbody
            >{#each growth.stores as s (s.store)}<tr
                ><td><a class="link" href="#/stores/{s.store}">{s.store}</a></td><td class="num"
                  >{s.copies}</td
                ><td class="num">{size(s.stored)}</td><td
                  class="num"
                  title="Upper limit; repacking measures it exactly"
                  >{s.holds ? `${Math.round((100 * s.unused) / s.holds)} %` : '–'}</td
                ></tr
              >{/each}</tbody
          >
        </table>
      </div>
    </div>
  </section>
{/if}
