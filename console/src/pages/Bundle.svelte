<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import { push, router } from 'svelte-spa-router';
  import { bundlesShow } from '../lib/calls';
  import { Problem, query } from '../lib/api.svelte';
  import type { BundleDetail } from '../lib/types';
  import { changesWords, count, exact, size } from '../lib/words';
  import FileBrowser from '../components/FileBrowser.svelte';
  import ChangeList from '../components/ChangeList.svelte';
  import Timestamp from '../components/Timestamp.svelte';
  import RestoreForm from '../components/RestoreForm.svelte';
  import OutcomeLabel from '../components/OutcomeLabel.svelte';
  import ErrorMessage from '../components/ErrorMessage.svelte';
  let { params }: { params: { id: string } } = $props();
  let bundle = $state<BundleDetail | null>(null);
  let problem = $state<Problem | null>(null);
  let restoring = $state(false);
  let part = $state<{ kind: string; path: string } | null>(null);
  const place = $derived(new URLSearchParams(router.querystring ?? ''));
  const kind = $derived(place.get('contents') ?? Object.keys(bundle?.contents ?? {})[0] ?? 'files');
  $effect(() => {
    bundlesShow(Number(params.id))
      .then((b) => (bundle = b))
      .catch((e) => (problem = e));
  });
  const go = (values: Record<string, string>) => push(`/bundles/${params.id}` + query(values));
</script>

<ErrorMessage {problem} />
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
  {#if restoring}<RestoreForm {bundle} {part} done={() => (restoring = false)} />{/if}
  <div class="grid grid-cols-1 gap-5 lg:grid-cols-[minmax(0,1fr)_minmax(0,2.4fr)]">
    <section class="sheet self-start p-4 text-sm" aria-label="About this bundle">
      <dl class="grid grid-cols-[6rem_1fr] gap-y-1">
        <dt class="text-faint">Bundle</dt>
        <dd class="wrap-anywhere">{bundle.name}</dd>
        <dt class="text-faint">Outcome</dt>
        <dd><OutcomeLabel outcome={bundle.outcome} /></dd>
        <dt class="text-faint">Job</dt>
        <dd>
          <a class="link" href="#/jobs/{bundle.job}">{bundle.job}</a>{#if bundle.run}, <a
              class="link"
              href="#/runs/{bundle.run}">run {bundle.run}</a
            >{/if}
        </dd>
        <dt class="text-faint">Shows</dt>
        <dd>{count(bundle.entries, 'entry', 'entries')}, {size(bundle.bytes)}</dd>
        <dt class="text-faint">Brought</dt>
        <dd>
          {size(bundle.new_bytes)} new, {size(bundle.packed)} packed; {size(
            Math.max(0, bundle.bytes - bundle.new_bytes),
          )} were there already
        </dd>
        <dt class="text-faint">Since before</dt>
        <dd>
          {#if bundle.changes}<a class="link" href="#/bundles/{bundle.id}?view=changes"
              >{changesWords(bundle.changes)}</a
            >{:else}<span class="text-faint">nothing to compare with</span>{/if}
        </dd>
        <dt class="text-faint">Brings</dt>
        <dd>
          {#if bundle.brings === 'full'}all its bytes (full){:else}what changed (incremental);
            builds on the full bundle of {exact(bundle.base)}; {Math.round(bundle.dead_share * 100)} %
            of its pieces is needed no more{/if}
        </dd>
        <dt class="text-faint">Copies on</dt>
        <dd>
          {#each bundle.copies as c}<div>
              <a class="link" href="#/stores/{c.store}">{c.store}</a>
              {#if !c.sound}<span class="font-semibold text-brick">■ damaged</span
                >{:else if c.verified_deep}<span class="text-moss">● read through</span>
                <span class="text-faint"><Timestamp at={c.verified_deep} /></span
                >{:else if c.verified}<span class="text-moss">● looked at</span>
                <span class="text-faint"><Timestamp at={c.verified} /></span>{:else}<span
                  class="text-faint">◇ not verified yet</span
                >{/if}
            </div>{/each}
        </dd>
      </dl>
      {#if bundle.databases.length}<h2 class="mt-4 mb-1">Databases</h2>
        {#each bundle.databases as d}<div class="wrap-anywhere">
            {d.name}
            <span class="text-faint"
              >{d.engine === 'mariadb' ? 'MariaDB' : 'SQLite'}, {count(
                Object.keys(d.tables).length,
                'table',
              )}, {count(
                Object.values(d.tables).reduce((a, b) => a + b, 0),
                'row',
              )}</span
            >
          </div>{/each}{/if}
      <h2 class="mt-4 mb-1">Pieces</h2>
      {#each bundle.pieces as p}<div class="flex justify-between gap-2">
          <span class="wrap-anywhere" title="SHA-256 {p.sha256}"
            >{p.brought === false
              ? p.name
              : p.name.slice(bundle.name.length + 1)}{#if p.brought === false}{' '}<span
                class="text-faint">earlier</span
              >{/if}</span
          ><span class="num">{size(p.bytes)}</span>
        </div>{/each}
      {#each Object.entries(bundle.contents) as [k, c]}{#if c.unreadable.length}<h2
            class="mt-4 mb-1"
          >
            Could not be read ({k})
          </h2>
          {#each c.unreadable.slice(0, 10) as line}<div class="wrap-anywhere text-amber-ink">
              ▲ {line}
            </div>{/each}{/if}{/each}
    </section>
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
