<script lang="ts">
  // What a bundle is of, where its copies are, and what it consists of.
  import type { BundleDetail } from '../../lib/types';
  import { changesWords, count, exact, size } from '../../lib/words';
  import OutcomeLabel from '../../ui/OutcomeLabel.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  let { bundle }: { bundle: BundleDetail } = $props();
  const older = $derived(Math.max(0, bundle.bytes - bundle.new_bytes));
  const shortName = (piece: BundleDetail['pieces'][number]) =>
    piece.brought ? piece.name.slice(bundle.name.length + 1) : piece.name;
  const typeOf = (b: BundleDetail) =>
    b.brings === 'full'
      ? 'all its bytes (full)'
      : `what changed (incremental); builds on the full bundle of ${exact(b.base)}; ` +
        `${Math.round(b.unused_share * 100)} % of its pieces is no longer needed`;
</script>

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
    {#if bundle.sealed_to?.length}
      <dt class="text-faint">Sealed to</dt>
      <dd title={bundle.sealed_to.join('\n')}>{count(bundle.sealed_to.length, 'key')}</dd>
    {/if}
    <dt class="text-faint">Size</dt>
    <dd>{count(bundle.entries, 'entry', 'entries')}, {size(bundle.bytes)}</dd>
    <dt class="text-faint">New data</dt>
    <dd>
      {size(bundle.new_bytes)}, stored as {size(bundle.packed)}; {size(older)} was already there
    </dd>
    <dt class="text-faint">Changes</dt>
    <dd>
      {#if bundle.changes}<a class="link" href="#/bundles/{bundle.id}?view=changes"
          >{changesWords(bundle.changes)}</a
        >{:else}<span class="text-faint">no previous bundle</span>{/if}
    </dd>
    <dt class="text-faint">Type</dt>
    <dd>
      {typeOf(bundle)}
    </dd>
    <dt class="text-faint">Copies on</dt>
    <dd>
      {#each bundle.copies as c (c.store)}<div>
          <a class="link" href="#/stores/{c.store}">{c.store}</a>
          {#if !c.sound}<span class="font-semibold text-brick">■ damaged</span
            >{:else if c.verified_deep}<span class="text-moss">● contents verified</span>
            <span class="text-faint"><Timestamp at={c.verified_deep} /></span
            >{:else if c.verified}<span class="text-moss">● checked</span>
            <span class="text-faint"><Timestamp at={c.verified} /></span>{:else}<span
              class="text-faint">◇ not verified yet</span
            >{/if}
          {#if c.locked_until}<span class="text-faint"
              >locked until <Timestamp at={c.locked_until} /></span
            >{/if}
        </div>{/each}
    </dd>
  </dl>
  {#if bundle.databases.length}<h2 class="mt-4 mb-1">Databases</h2>
    {#each bundle.databases as d (d.engine + d.name)}<div class="wrap-anywhere">
        <a class="link" href="#/bundles/{bundle.id}?contents=databases">{d.name}</a>
        <span class="text-faint"
          >{count(Object.keys(d.tables).length, 'table')}, {count(
            Object.values(d.tables).reduce((a, b) => a + b, 0),
            'row',
          )}</span
        >
      </div>{/each}{/if}
  <h2 class="mt-4 mb-1">Pieces</h2>
  {#each bundle.pieces as p (p.name)}<div class="flex justify-between gap-2">
      <span class="wrap-anywhere" title="SHA-256 {p.sha256}"
        >{shortName(p)}{#if !p.brought}{' '}<span class="text-faint">earlier</span>{/if}</span
      ><span class="num">{size(p.bytes)}</span>
    </div>{/each}
  {#each Object.entries(bundle.contents) as [k, c] (k)}{#if c.unreadable.length}<h2
        class="mt-4 mb-1"
      >
        Could not be read ({k})
      </h2>
      {#each c.unreadable.slice(0, 10) as line (line)}<div class="wrap-anywhere text-amber-ink">
          ▲ {line}
        </div>{/each}{/if}{/each}
</section>
