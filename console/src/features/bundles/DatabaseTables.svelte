<script lang="ts">
  // The databases of a bundle, each with its tables, their rows and sizes.
  import { queryString } from '../../lib/api.svelte';
  import { bundlesTables } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import { count, size } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let {
    bundle,
    words,
    restore,
  }: {
    bundle: number;
    words: string;
    restore: (kind: string, path: string) => void;
  } = $props();
  const found = new Loader(() => bundlesTables(bundle));
  $effect(() => {
    void bundle;
    found.load();
  });
  // Of a database that is one file nobody knows which bytes are whose.
  const sized = (d: { tables: { bytes: number }[] }) => d.tables.some((t) => t.bytes);
  const holds = (name: string) => name.toLowerCase().includes(words.toLowerCase());
  const shown = $derived(
    (found.value?.items ?? [])
      .map((d) => ({
        ...d,
        tables: holds(d.name) ? d.tables : d.tables.filter((t) => holds(t.name)),
      }))
      .filter((d) => !words || holds(d.name) || d.tables.length),
  );
</script>

<ErrorMessage problem={found.problem} />
{#each shown as d (d.folder)}
  <section class="sheet mb-4" aria-label="Database {d.name}">
    <div class="flex flex-wrap items-baseline gap-x-3 gap-y-1 p-3">
      <h2 class="wrap-anywhere">{d.name}</h2>
      <span class="mr-auto text-sm text-faint"
        >{d.engine_title}, {count(d.tables.length, 'table')}, {size(d.bytes)}</span
      >
      <a
        class="link text-sm"
        download
        href="/api/v1/bundles/{bundle}/download{queryString({
          contents: 'databases',
          path: d.folder,
        })}"
        aria-label="Download database {d.name}">download</a
      >
      {#if sized(d)}<a
          class="link text-sm"
          download
          href="/api/v1/bundles/{bundle}/download{queryString({ form: 'sql', database: d.name })}"
          aria-label="Download database {d.name} as one SQL file">SQL</a
        >{/if}
      <button
        class="link cursor-pointer text-sm"
        onclick={() => restore('databases', d.folder)}
        aria-label="Restore database {d.name}">restore</button
      >
    </div>
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div
      class="max-h-[50vh] overflow-auto"
      tabindex="0"
      role="region"
      aria-label="Tables of {d.name}"
    >
      <table class="ledger">
        <thead
          ><tr
            ><th scope="col">Table</th><th scope="col" class="num">Rows</th>{#if sized(d)}<th
                scope="col"
                class="num">Size</th
              ><th scope="col" class="num">Download</th>{/if}</tr
          ></thead
        >
        <tbody>
          {#each d.tables as t (t.name)}
            <tr
              ><td class="wrap-anywhere">{t.name}</td><td class="num"
                >{t.rows === null ? '' : t.rows.toLocaleString('en')}</td
              >{#if sized(d)}<td class="num">{size(t.bytes)}</td>
                <td class="num"
                  ><a
                    class="link text-sm"
                    download
                    href="/api/v1/bundles/{bundle}/download{queryString({
                      form: 'sql',
                      database: d.name,
                      table: t.name,
                    })}"
                    aria-label="Download table {t.name} as SQL">SQL</a
                  ></td
                >{/if}</tr
            >
          {:else}<tr><td colspan="3" class="text-faint">It has no tables.</td></tr>{/each}
        </tbody>
      </table>
    </div>
  </section>
{:else}{#if found.value}<p class="text-faint">
      {words ? 'No table or database has that in its name.' : 'The bundle holds no database.'}
    </p>{/if}{/each}
