<script lang="ts">
  // What a store's bundles tell of: it takes part in nothing until a person accepts it.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Checkbox } from 'flowbite-svelte';
  import { storesAccept, storesDismiss, storesProposals } from '../../lib/calls';
  import { live } from '../../lib/live.svelte';
  import { Loader } from '../../lib/loader.svelte';
  import type { StoreProposal } from '../../lib/types';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { store }: { store: string } = $props();
  let chosen = $state<Record<string, boolean>>({});
  const doing = useAction();
  let refused = $state<string[]>([]);
  const found = new Loader(() => storesProposals(store));
  $effect(() => {
    void store;
    found.load();
  });
  $effect(() => live.refresh(['maintenance', 'stores'], () => found.load()));
  const rows = $derived(found.value?.items ?? []);
  const key = (row: StoreProposal) => `${row.kind} ${row.name}`;
  const wanted = $derived(rows.filter((row) => chosen[key(row)]));
  const names = (kind: string) => wanted.filter((row) => row.kind === kind).map((row) => row.name);
  const choice = () => ({
    hosts: names('host'),
    accounts: names('account'),
    stores: names('store'),
    jobs: names('job'),
  });
  async function attempt(action: () => Promise<unknown>) {
    await doing.run(async () => {
      await action();
      chosen = {};
    });
    found.load();
  }
  const accept = () =>
    attempt(async () => (refused = (await storesAccept(store, choice())).refused ?? []));
  const dismiss = () => attempt(() => storesDismiss(store, choice()));
  const all = (on: boolean) => (chosen = Object.fromEntries(rows.map((row) => [key(row), on])));
</script>

{#if rows.length || refused.length}
  <section class="sheet mb-4 p-4" aria-labelledby="store-proposals">
    <h2 id="store-proposals" class="mb-1 text-lg">Proposed by this store</h2>
    <p class="mb-3 text-sm text-faint">
      Check host and home before you accept: anyone who can write to the store decides what its
      bundles say. Settings are taken from a copy of the records, if the store has one; otherwise
      hosts have no connection. Jobs are added disabled.
    </p>
    <ErrorMessage problem={doing.problem} />
    {#each refused as line (line)}
      <p class="mb-2 text-sm"><span aria-hidden="true" class="text-amber-ink">▲</span> {line}</p>
    {/each}
    <table class="mb-3 w-full text-left text-sm">
      <thead>
        <tr>
          <th class="py-1 pr-3">
            <Checkbox
              aria-label="Choose all"
              checked={rows.length > 0 && wanted.length === rows.length}
              onchange={(event) => all((event.currentTarget as HTMLInputElement).checked)}
            />
          </th>
          <th class="py-1 pr-3">Kind</th><th class="py-1 pr-3">Name</th>
          <th class="py-1 pr-3">Host</th><th class="py-1 pr-3">Home</th>
          <th class="py-1 pr-3">Settings</th><th class="py-1">Created by</th>
        </tr>
      </thead>
      <tbody>
        {#each rows as row (key(row))}
          <tr class="border-t border-rule">
            <td class="py-1 pr-3">
              <Checkbox
                aria-label="Choose {key(row)}"
                bind:checked={() => chosen[key(row)] ?? false, (on) => (chosen[key(row)] = on)}
              />
            </td>
            <td class="py-1 pr-3">{row.kind}</td>
            <td class="py-1 pr-3 wrap-anywhere">{row.name}</td>
            <td class="py-1 pr-3 wrap-anywhere">{row.host || '–'}</td>
            <td class="py-1 pr-3 wrap-anywhere">{row.root || '–'}</td>
            <td class="py-1 pr-3">{row.with_settings ? 'as they were' : '–'}</td>
            <td class="py-1">
              {#if row.vouched}this service{:else}<span aria-hidden="true" class="text-amber-ink"
                  >▲</span
                > another, or unknown{/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
    <div class="flex flex-wrap gap-3">
      <Button size="sm" disabled={!wanted.length} onclick={accept}>Accept</Button>
      <Button size="sm" color="alternative" disabled={!wanted.length} onclick={dismiss}
        >Dismiss</Button
      >
    </div>
  </section>
{/if}
