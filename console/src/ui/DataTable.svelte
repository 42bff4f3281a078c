<script lang="ts" generics="T">
  // A table of things: sorted, filtered and paged by the server, its state in the address.
  import { Button } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';
  import type { Listing } from '../lib/lists.svelte';
  import ErrorMessage from './ErrorMessage.svelte';
  interface Column {
    title: string;
    sort?: string;
    num?: boolean;
  }
  let {
    list,
    columns,
    row,
    empty,
    label,
  }: {
    list: Listing<T>;
    columns: Column[];
    row: Snippet<[T]>;
    empty: Snippet;
    label: string;
  } = $props();
  const sort = $derived(list.filters.sort ?? '');
  const direction = (c: Column) =>
    sort === c.sort ? 'ascending' : sort === `-${c.sort}` ? 'descending' : undefined;
</script>

<ErrorMessage problem={list.problem} />
{#if list.loaded && !list.items.length && !list.problem}
  <div class="sheet p-8 text-center text-faint">{@render empty()}</div>
{:else}
  <!-- A table that scrolls must be reachable by keyboard. -->
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="sheet overflow-x-auto" tabindex="0" role="region" aria-label={label}>
    <table class="ledger">
      <thead
        ><tr>
          {#each columns as column (column.title)}
            <th scope="col" class:num={column.num} aria-sort={direction(column)}>
              {#if column.sort}
                <button
                  class="cursor-pointer hover:underline"
                  onclick={() => list.sortBy(column.sort!)}
                >
                  {column.title}<span aria-hidden="true"
                    >{direction(column) === 'ascending'
                      ? ' ↑'
                      : direction(column) === 'descending'
                        ? ' ↓'
                        : ''}</span
                  >
                </button>
              {:else}{column.title}{/if}
            </th>
          {/each}
        </tr></thead
      >
      <tbody
        >{#each list.items as item, n (n)}<tr>{@render row(item)}</tr>{/each}</tbody
      >
    </table>
  </div>
  <div class="mt-2 flex items-center gap-4 text-sm text-faint">
    <span>{list.items.length.toLocaleString('en')} of {list.total.toLocaleString('en')}</span>
    {#if list.next}<Button size="xs" color="alternative" onclick={() => list.more()}
        >Show more</Button
      >{/if}
  </div>
{/if}
