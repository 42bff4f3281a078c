<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import { push, router } from 'svelte-spa-router';
  import { bundlesShow } from '../../lib/calls';
  import { queryString } from '../../lib/api.svelte';
  import { Loader } from '../../lib/loader.svelte';
  import { exact } from '../../lib/words';
  import FileBrowser from './FileBrowser.svelte';
  import BundleInstructions from './BundleInstructions.svelte';
  import DownloadLinks from './DownloadLinks.svelte';
  import BundlePin from './BundlePin.svelte';
  import ChangeList from './ChangeList.svelte';
  import BundleFacts from './BundleFacts.svelte';
  import RestoreForm from '../restores/RestoreForm.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { params }: { params: { id: string } } = $props();
  const found = new Loader(() => bundlesShow(Number(params.id)));
  const bundle = $derived(found.value);
  let restoring = $state(false);
  let part = $state<{ kind: string; path: string } | null>(null);
  const place = $derived(new URLSearchParams(router.querystring ?? ''));
  const kind = $derived(place.get('contents') ?? Object.keys(bundle?.contents ?? {})[0] ?? 'files');
  $effect(() => {
    void params.id;
    found.load();
  });
  const go = (values: Record<string, string>) =>
    push(`/bundles/${params.id}` + queryString(values));
</script>

<ErrorMessage problem={found.problem} />
{#if bundle}
  <div class="mb-3 flex flex-wrap items-center gap-3">
    <h1 class="mr-auto">
      {bundle.subject}
      <span class="text-base font-normal text-faint">as of {exact(bundle.moment)}</span>
    </h1>
    <Button
      size="sm"
      onclick={() => {
        part = null;
        restoring = !restoring;
      }}>Restore</Button
    >
    {#each ['tar.gz', 'tar.zst', 'zip'] as form (form)}<Button
        size="sm"
        color="alternative"
        href="/api/v1/bundles/{bundle.id}/download?form={form}"
        download>{form === 'tar.gz' ? 'Download as tar.gz' : form}</Button
      >{/each}
  </div>
  <BundlePin {bundle} changed={(changed) => (found.value = changed)} />
  <BundleInstructions bundle={bundle.id} />
  <DownloadLinks {bundle} {kind} folder={place.get('folder') ?? ''} />
  {#if restoring}<RestoreForm {bundle} {part} done={() => (restoring = false)} />{/if}
  <div class="grid grid-cols-1 gap-5 lg:grid-cols-[minmax(0,1fr)_minmax(0,2.4fr)]">
    <BundleFacts {bundle} />
    {#if place.get('view') === 'changes'}{#key bundle.id}<ChangeList
          bundle={bundle.id}
        />{/key}{:else}<FileBrowser
        {bundle}
        {kind}
        folder={place.get('folder') ?? ''}
        words={place.get('q') ?? ''}
        {go}
        restore={(k, path) => {
          part = { kind: k, path };
          restoring = true;
          window.scrollTo(0, 0);
        }}
      />{/if}
  </div>
{/if}
