<script lang="ts">
  // A bundle's contents as a file tree, databases as tables, and search by name in them.
  import { Button, Input } from 'flowbite-svelte';
  import { queryString } from '../../lib/api.svelte';
  import { bundlesFiles, bundlesSearch } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import type { BundleDetail, BundleEntry } from '../../lib/types';
  import { count, exact, size } from '../../lib/words';
  import DatabaseTables from './DatabaseTables.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let {
    bundle,
    kind,
    folder,
    words,
    go,
    restore,
  }: {
    bundle: BundleDetail;
    kind: string;
    folder: string;
    words: string;
    go: (values: Record<string, string>) => void;
    restore: (kind: string, path: string) => void;
  } = $props();
  type Kind = 'files' | 'databases' | 'mail' | 'system' | 'notes';
  const found = new Loader<{ items: BundleEntry[]; more: boolean }>(() =>
    words
      ? bundlesSearch(bundle.id, { q: words, contents: kind as Kind })
      : bundlesFiles(bundle.id, { contents: kind as Kind, folder }),
  );
  let timer: ReturnType<typeof setTimeout> | undefined;
  $effect(() => {
    void [bundle.id, kind, folder, words];
    // Databases are shown by their tables.
    if (kind !== 'databases') found.load();
  });
  const trail = $derived(
    folder
      ? folder.split('/').map((name, n, all) => ({ name, path: all.slice(0, n + 1).join('/') }))
      : [],
  );
  const link = (values: Record<string, string>) => `#/bundles/${bundle.id}${queryString(values)}`;
  const MARKS: Record<string, string> = { dir: '▸', symlink: '↪', file: ' ' };
</script>

<section aria-label="Contents">
  <div class="mb-2 flex flex-wrap items-center gap-2">
    <div class="flex gap-1" role="group" aria-label="Kind of contents">
      {#each Object.keys(bundle.contents) as k (k)}<a
          href={link({ contents: k })}
          aria-current={k === kind ? 'true' : undefined}
          class="rounded px-2.5 py-1 {k === kind
            ? 'bg-primary-700 text-white'
            : 'hover:bg-gray-100 dark:hover:bg-gray-800'}">{k}</a
        >{/each}
    </div>
    <div class="ml-auto w-56">
      <Input
        size="sm"
        aria-label="Find by name"
        placeholder="Find by name"
        value={words}
        oninput={(e) => {
          const v = (e.target as HTMLInputElement).value;
          clearTimeout(timer);
          timer = setTimeout(() => go({ contents: kind, q: v }), 350);
        }}
      />
    </div>
  </div>
  {#if kind === 'databases'}<DatabaseTables bundle={bundle.id} {words} {restore} />{:else}
    <nav aria-label="Folder" class="mb-2 text-sm">
      <a class="link" href={link({ contents: kind })}>{kind}</a
      >{#each trail as step (step.path)}<span class="text-faint"> / </span><a
          class="link"
          href={link({ contents: kind, folder: step.path })}>{step.name}</a
        >{/each}{#if words}<span class="text-faint"> — paths that contain “{words}”</span>{/if}
    </nav>
    <ErrorMessage problem={found.problem} />
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div class="sheet max-h-[70vh] overflow-auto" tabindex="0" role="region" aria-label="Entries">
      <table class="ledger">
        <thead
          ><tr
            ><th scope="col">Name</th><th scope="col" class="num">Size</th><th scope="col"
              >Changed</th
            ><th scope="col">Mode</th><th scope="col">Owner</th><th scope="col">Actions</th></tr
          ></thead
        >
        <tbody>
          {#each found.value?.items ?? [] as e (e.path)}
            <tr
              ><td class="wrap-anywhere"
                ><span class="inline-block w-4 text-faint" aria-hidden="true"
                  >{MARKS[e.type] ?? '◦'}</span
                >{#if e.type === 'dir'}<a
                    class="link"
                    href={link({ contents: kind, folder: e.path })}>{words ? e.path : e.name}</a
                  > <span class="text-sm text-faint">{count(e.files, 'file')}</span>{:else}{words
                    ? e.path
                    : e.name}{#if e.target !== null}{' '}<span class="text-faint">→ {e.target}</span
                    >{/if}{/if}</td
              >
              <td class="num">{size(e.bytes)}</td><td class="whitespace-nowrap tabular-nums"
                >{exact(e.mtime).slice(0, 16)}</td
              ><td class="font-mono text-sm">{e.mode}</td><td class="whitespace-nowrap"
                >{e.user}:{e.group}</td
              >
              <td class="whitespace-nowrap"
                ><a
                  class="link text-sm"
                  download
                  href="/api/v1/bundles/{bundle.id}/download{queryString({
                    contents: kind,
                    path: e.path,
                  })}"
                  aria-label="Download {e.name}">download</a
                >
                <button
                  class="link cursor-pointer text-sm"
                  onclick={() => restore(kind, e.path)}
                  aria-label="Restore {e.name}">restore</button
                ></td
              ></tr
            >
          {:else}<tr
              ><td colspan="6" class="text-faint"
                >{words ? 'No path contains that.' : 'This folder is empty.'}</td
              ></tr
            >{/each}
        </tbody>
      </table>
    </div>
    {#if found.value?.more}<p class="mt-1 text-sm text-faint">
        Not everything is shown. Search by name. <Button
          size="xs"
          color="alternative"
          onclick={() => go({ contents: kind })}>Back to the top</Button
        >
      </p>{/if}
  {/if}
</section>
