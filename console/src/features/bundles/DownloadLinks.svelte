<script lang="ts">
  // Links to one download each, for someone without a sign-in.
  import { Button, Input, Select } from 'flowbite-svelte';
  import { useAction } from '../../lib/action.svelte';
  import { linksList, linksMake, linksRemove } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import type { BundleDetail, DownloadLinkMade } from '../../lib/types';
  import { count, exact } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { bundle, kind, folder }: { bundle: BundleDetail; kind: string; folder: string } = $props();
  const found = new Loader(() => linksList());
  const links = $derived((found.value?.items ?? []).filter((l) => l.bundle === bundle.id));
  let made = $state<DownloadLinkMade | null>(null);
  let open = $state(false);
  let what = $state('all');
  let hours = $state(24);
  let uses = $state(1);
  let note = $state('');
  const action = useAction();
  $effect(() => {
    if (open) found.load();
  });
  const parts = $derived([
    { value: 'all', name: 'the whole bundle' },
    ...Object.keys(bundle.contents).map((k) => ({ value: k, name: `only ${k}` })),
    ...(folder ? [{ value: 'folder', name: folder }] : []),
  ]);
  const download = $derived(
    what === 'folder'
      ? { contents: kind as 'files', path: [folder] }
      : what === 'all'
        ? {}
        : { contents: what as 'files' },
  );
  async function make(event: Event) {
    event.preventDefault();
    await action.run(async () => {
      made = await linksMake(bundle.id, {
        download: {
          form: 'zip',
          database: '',
          table: [],
          contents: '',
          path: [],
          store: '',
          ...download,
        },
        hours: Number(hours),
        uses: Number(uses),
        note,
      });
      await found.load();
    });
  }
  const revoke = (id: number) =>
    action.run(async () => {
      await linksRemove(id);
      if (made?.id === id) made = null;
      await found.load();
    });
  const partOf = (d: { contents?: string; path?: string[]; database?: string }) =>
    d.path?.join(', ') || d.database || d.contents || 'everything';
</script>

<details class="mb-3 text-sm" bind:open>
  <summary class="cursor-pointer">Links for someone without a sign-in</summary>
  <form class="mt-2 flex flex-wrap items-end gap-3" onsubmit={make}>
    <label>
      <span class="mb-1 block">Part to download</span>
      <Select
        size="sm"
        class="w-56"
        aria-label="Part to download"
        placeholder=""
        items={parts}
        bind:value={what}
      />
    </label>
    <label>
      <span class="mb-1 block">Valid for (hours)</span>
      <Input size="sm" class="w-28!" type="number" min={1} max={720} bind:value={hours} />
    </label>
    <label>
      <span class="mb-1 block">Uses</span>
      <Input size="sm" class="w-24!" type="number" min={1} max={100} bind:value={uses} />
    </label>
    <label>
      <span class="mb-1 block">Note on its page</span>
      <Input size="sm" class="w-56!" maxlength={200} bind:value={note} />
    </label>
    <Button size="sm" type="submit" color="alternative" disabled={action.busy}>Make a link</Button>
  </form>
  <ErrorMessage problem={action.problem ?? found.problem} />
  {#if made}
    <p class="mt-3 flex flex-wrap items-center gap-3">
      <code class="wrap-anywhere">{made.url}</code>
      <Button
        size="xs"
        color="alternative"
        onclick={() => navigator.clipboard.writeText(made?.url ?? '')}>Copy</Button
      >
      <span class="text-faint">It is shown only now.</span>
    </p>
  {/if}
  {#if links.length}
    <ul class="mt-3 space-y-1">
      {#each links as link (link.id)}
        <li class="flex flex-wrap items-center gap-3">
          <span
            >{partOf(link.download)}{link.note ? `, ${link.note}` : ''}: until {exact(
              link.expires,
            )}, used {link.used ?? 0} of {count(link.uses, 'time')}, by {link.created_by}</span
          >
          <Button
            size="xs"
            color="alternative"
            aria-label="Revoke link {link.id}"
            onclick={() => revoke(link.id)}>Revoke</Button
          >
        </li>
      {/each}
    </ul>
  {:else if found.loaded}<p class="mt-3 text-faint">No link to this bundle is valid.</p>{/if}
</details>
