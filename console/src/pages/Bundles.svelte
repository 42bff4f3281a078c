<script lang="ts">
  import { router } from 'svelte-spa-router';
  import { live } from '../lib/live.svelte';
  import { Listing } from '../lib/lists.svelte';
  import { call } from '../lib/api.svelte';
  import type { Bundle, Page, Restore } from '../lib/types';
  import { size } from '../lib/words';
  import Filter from '../parts/Filter.svelte';
  import Ledger from '../parts/Ledger.svelte';
  import Moment from '../parts/Moment.svelte';
  import Outcome from '../parts/Outcome.svelte';
  const list = new Listing<Bundle>('/bundles');
  let restores = $state<Restore[]>([]);
  const loadRestores = () =>
    call<Page<Restore>>('GET', '/restores?limit=5')
      .then((p) => (restores = p.items))
      .catch(() => {});
  $effect(() => {
    void router.querystring;
    list.load();
  });
  loadRestores();
  $effect(() => live.refresh(['bundles'], () => list.load()));
  $effect(() => live.refresh(['restore'], loadRestores));
</script>

<div class="mb-3 flex flex-wrap items-center gap-3">
  <h1 class="mr-auto">Bundles</h1>
  <Filter {list} name="q" label="Name or subject" /><Filter {list} name="job" label="Job" /><Filter
    {list}
    name="store"
    label="Store"
  />
  {#if list.filters.subject}<a class="link text-sm" href="#/bundles"
      >Only {list.filters.subject}: show all</a
    >{/if}
</div>
<Ledger
  {list}
  label="Bundles"
  columns={[
    { title: 'Subject', sort: 'subject' },
    { title: 'Bundle' },
    { title: 'Moment', sort: 'moment' },
    { title: 'Outcome' },
    { title: 'Entries', num: true },
    { title: 'Contents', sort: 'size', num: true },
    { title: 'Packed', sort: 'packed', num: true },
    { title: 'Copies on' },
  ]}
>
  {#snippet row(b)}
    <td>{b.subject}</td><td><a class="link" href="#/bundles/{b.id}">{b.name}</a></td><td
      ><Moment at={b.moment} /></td
    ><td><Outcome outcome={b.outcome} /></td>
    <td class="num">{b.entries.toLocaleString('en')}</td><td class="num">{size(b.bytes)}</td><td
      class="num">{size(b.packed)}</td
    ><td>{b.copies.map((c) => c.store).join(', ')}</td>
  {/snippet}
  {#snippet empty()}No bundle {Object.keys(list.filters).length ? 'matches' : 'yet'}.
    <a class="link" href="#/jobs">Start a job</a>.{/snippet}
</Ledger>
{#if restores.length}
  <h2 class="mt-6 mb-2">Last restores</h2>
  <div class="sheet overflow-x-auto">
    <table class="ledger">
      <thead
        ><tr
          ><th scope="col">Restore</th><th scope="col">Of</th><th scope="col">To</th><th scope="col"
            >Outcome</th
          ><th scope="col">Started</th></tr
        ></thead
      >
      <tbody
        >{#each restores as r (r.id)}<tr
            ><td><a class="link" href="#/restores/{r.id}">{r.id}</a></td><td
              >{r.subject}, {r.bundle}</td
            ><td class="wrap-anywhere">{r.target}</td><td
              ><Outcome outcome={r.outcome} state={r.state} /></td
            ><td><Moment at={r.created} /></td></tr
          >{/each}</tbody
      >
    </table>
  </div>
{/if}
