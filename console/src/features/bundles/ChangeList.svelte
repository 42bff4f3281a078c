<script lang="ts">
  // Entries added, changed and removed in a bundle since the previous one.
  import { router } from 'svelte-spa-router';
  import { bundlesChanges } from '../../lib/calls';
  import { Listing } from '../../lib/lists.svelte';
  import type { BundleChange } from '../../lib/types';
  import { size } from '../../lib/words';
  import FilterField from '../../ui/fields/FilterField.svelte';
  import LineDifference from './LineDifference.svelte';
  import DataTable from '../../ui/DataTable.svelte';
  let { bundle }: { bundle: number } = $props();
  // Each bundle has a list of its own: the component is created again for another one.
  const list = new Listing<BundleChange>((query) => bundlesChanges(bundle, query));
  $effect(() => {
    void router.querystring;
    list.load();
  });
  let shown = $state('');
  const key = (c: BundleChange) => `${c.kind}/${c.path}`;
  const MARKS: Record<string, string> = { new: '+', changed: '~', gone: '−' };
  const TONES: Record<string, string> = {
    new: 'text-moss',
    changed: 'text-primary-700 dark:text-primary-300',
    gone: 'text-amber-ink',
  };
</script>

<section aria-label="Differences to the previous bundle">
  <div class="mb-2 flex flex-wrap items-center gap-2">
    <a class="link mr-auto text-sm" href="#/bundles/{bundle}">Browse all files</a>
    <FilterField
      {list}
      name="state"
      label="Any state"
      items={['new', 'changed', 'gone'].map((s) => ({ value: s, name: s }))}
    />
    <FilterField {list} name="q" label="Text in the path" />
  </div>
  <DataTable
    {list}
    label="Changes"
    columns={[
      { title: 'State' },
      { title: 'Path' },
      { title: 'What' },
      { title: 'Size', num: true },
      { title: 'Before', num: true },
    ]}
  >
    {#snippet row(c)}
      <td class="whitespace-nowrap {TONES[c.state]}"
        ><span aria-hidden="true">{MARKS[c.state]}</span> {c.state}</td
      >
      <td class="wrap-anywhere"
        ><span class="text-faint">{c.kind}/</span>{c.path}{c.type === 'dir' ? '/' : ''}
        {#if c.type === 'file' && ['files', 'system', 'notes'].includes(c.kind)}
          <button
            class="link ml-2 cursor-pointer text-sm"
            onclick={() => (shown = shown === key(c) ? '' : key(c))}
            aria-expanded={shown === key(c)}
            aria-label="Differing lines of {c.path}">lines</button
          >
          {#if shown === key(c)}<LineDifference {bundle} file={c.path} kind={c.kind} />{/if}
        {/if}</td
      ><td>{c.what || '–'}</td>
      <td class="num">{c.state === 'gone' ? '–' : size(c.bytes)}</td><td class="num"
        >{c.state === 'new' ? '–' : size(c.before)}</td
      >
    {/snippet}
    {#snippet empty()}Nothing changed since the previous bundle.{/snippet}
  </DataTable>
</section>
