<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button } from 'flowbite-svelte';
  import { router } from 'svelte-spa-router';
  import { storesList, storesTry } from '../../lib/calls';
  import { live } from '../../lib/live.svelte';
  import { Listing } from '../../lib/lists.svelte';
  import type { TryResult } from '../../lib/types';
  import { count } from '../../lib/words';
  import DataTable from '../../ui/DataTable.svelte';
  import StepList from '../../ui/StepList.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import StoreFill from './StoreFill.svelte';
  import TryButton from './TryButton.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  const list = new Listing(storesList);
  let tried = $state<Record<string, TryResult | 'busy'>>({});
  // The one whose steps are shown.
  let last = $state('');
  const steps = $derived.by(() => {
    const found = tried[last];
    return found === 'busy' ? undefined : found;
  });
  const action = useAction();
  $effect(() => {
    void router.querystring;
    list.load();
  });
  $effect(() => live.refresh(['stores', 'bundles'], () => list.load()));
  async function tryOut(name: string) {
    tried[name] = 'busy';
    last = name;
    const went = await action.run(async () => {
      tried[name] = await storesTry(name);
    });
    if (!went) delete tried[name];
  }
</script>

<div class="mb-3 flex items-center gap-3">
  <h1 class="mr-auto">Stores</h1>
  <Button href="#/stores/new" size="sm">Add a store</Button>
</div>
<ErrorMessage problem={action.problem} />
{#if steps}
  <section class="sheet mb-4 p-4">
    <h2 class="mb-2">Store {last}, tried</h2>
    <StepList tried={steps} />
  </section>
{/if}
<DataTable
  {list}
  label="Stores"
  columns={[
    { title: 'Store', sort: 'name' },
    { title: 'Where' },
    { title: 'Copies', num: true },
    { title: 'Fill' },
    { title: 'Full on' },
    { title: 'Lacks', num: true },
    { title: 'A month', num: true },
    { title: 'Read back' },
    { title: 'State' },
    { title: 'Try' },
  ]}
>
  {#snippet row(s)}
    <td><a class="link font-semibold" href="#/stores/{s.name}">{s.name}</a></td>
    <td class="min-w-56 wrap-anywhere">{s.where}</td><td class="num">{s.copies}</td><td
      ><StoreFill store={s} /></td
    >
    <td class="whitespace-nowrap">{s.full_on ?? '–'}</td>
    <td class="num">{s.lag || '–'}</td>
    <td class="num whitespace-nowrap"
      >{s.month_price ? `${s.month_price.toFixed(2)} ${s.currency}` : '–'}</td
    >
    <td><Timestamp at={s.oldest_read ?? null} /></td><td class="whitespace-nowrap"
      >{#if s.owner}<span class="text-amber-ink">▲ read only</span
        >{:else if s.access === 'none'}<span class="text-amber-ink">▲ not connected</span
        >{:else if !s.tried}<span class="text-amber-ink">▲ untried</span>{:else if s.damaged}<a
          class="font-semibold text-brick underline"
          href="#/stores/{s.name}">■ {count(s.damaged, 'damaged file')}</a
        >{:else}<span class="text-moss"><span aria-hidden="true">●</span> no known damage</span
        >{/if}</td
    >
    <td class="whitespace-nowrap"
      ><TryButton name={s.name} tried={tried[s.name]} onclick={() => tryOut(s.name)} /></td
    >
  {/snippet}
  {#snippet empty()}No store yet. <a class="link" href="#/stores/new">Add one</a>, at least one of
    them not on the machine that is protected.{/snippet}
</DataTable>
