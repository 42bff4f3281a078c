<script lang="ts">
  // Finds when a file changed or went, over all bundles of an account or site.
  import { Button, Input } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { useAction } from '../../lib/action.svelte';
  import { queryString } from '../../lib/api.svelte';
  import { bundlesVersions } from '../../lib/calls';
  import type { VersionedFile, VersionsFound } from '../../lib/types';
  import { count, size } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  let { subject, start = '' }: { subject: string; start?: string } = $props();
  let words = $derived(start);
  let found = $state<VersionsFound | null>(null);
  const doing = useAction();
  const look = () =>
    doing.run(async () => {
      found = await bundlesVersions({ q: words, subject });
    });
  function search(event: Event) {
    event.preventDefault();
    // A search over everything has an address that can be sent to somebody.
    if (subject || words === start) look();
    else push(`/files${queryString({ q: words })}`);
  }
  $effect(() => {
    if (start) look();
  });
  /** The folder of a file, with the file among what is shown. */
  function place(file: VersionedFile, bundle: number): string {
    const folder = file.path.split('/').slice(0, -1).join('/');
    const query = new URLSearchParams({ contents: file.kind, folder });
    return `#/bundles/${bundle}?${query}`;
  }
</script>

<section class="sheet mb-5 p-4" aria-labelledby="versions">
  <h2 id="versions" class="mb-2">Find a file in all bundles</h2>
  <form onsubmit={search} class="flex flex-wrap items-end gap-3">
    <FormField
      label="Part of its path"
      id="version-words"
      hint="As it is written there; upper and lower case count."
      wrong={doing.problem?.at('q')}
    >
      <Input id="version-words" bind:value={words} placeholder="index.php" />
    </FormField>
    <div class="mb-4">
      <Button type="submit" size="sm" color="alternative" disabled={!words.trim() || doing.busy}
        >{doing.busy ? 'Searching …' : 'Find'}</Button
      >
    </div>
  </form>
  <ErrorMessage problem={doing.problem} />
  {#if found}
    <p class="mb-2 text-sm text-faint" role="status">
      Searched {count(found.bundles, 'bundle')} in {found.seconds.toFixed(1)} s{found.more
        ? '; there is more: write more of the path'
        : ''}.
    </p>
    {#each found.items as file (file.subject + file.job + file.path)}
      <h3 class="mt-3 font-medium wrap-anywhere">
        {subject ? '' : `${file.subject}: `}{file.path}
        <span class="text-sm font-normal text-faint"
          >{count(file.versions.length, 'version')}, job {file.job}</span
        >
        {#if file.is_gone}<span class="text-sm font-normal text-amber-ink"
            >▲ gone from the newest bundle</span
          >{/if}
      </h3>
      <div class="overflow-x-auto">
        <table class="ledger">
          <thead
            ><tr
              ><th scope="col" class="num">Size</th><th scope="col">First in</th><th scope="col"
                >Last in</th
              ></tr
            ></thead
          >
          <tbody>
            {#each [...file.versions].reverse() as version (version.first)}
              <tr
                ><td class="num">{size(version.bytes)}</td><td
                  ><a class="link" href={place(file, version.first)}>bundle {version.first}</a>
                  <Timestamp at={version.first_moment} /></td
                ><td
                  ><a class="link" href={place(file, version.last)}>bundle {version.last}</a>
                  <Timestamp at={version.last_moment} /></td
                ></tr
              >
            {/each}
          </tbody>
        </table>
      </div>
    {:else}<p>No path contains it.</p>{/each}
    {#each found.unreadable ?? [] as line (line)}
      <p class="text-sm text-amber-ink">▲ {line}</p>
    {/each}
  {/if}
</section>
