<script lang="ts">
  import { Input } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { search } from '../lib/calls';
  import { asProblem } from '../lib/loader.svelte';
  import { Problem, queryString } from '../lib/api.svelte';
  import ErrorMessage from './ErrorMessage.svelte';
  import type { SearchHit } from '../lib/types';
  let words = $state('');
  let found = $state<SearchHit[]>([]);
  let open = $state(false);
  let chosen = $state(0);
  let problem = $state<Problem | null>(null);
  let asked = 0;
  let timer: ReturnType<typeof setTimeout> | undefined;

  function typed() {
    clearTimeout(timer);
    timer = setTimeout(look, 200);
  }
  async function look() {
    const mine = ++asked;
    if (!words.trim()) {
      found = [];
      open = false;
      return;
    }
    try {
      const page = await search({ q: words.trim() });
      if (mine !== asked) return;
      found = [...page.items, ...pages(words), ...files(words)];
      problem = null;
    } catch (error) {
      if (mine !== asked) return;
      found = [];
      problem = asProblem(error);
    }
    chosen = 0;
    open = true;
  }
  // Every page that has no name of its own in the records.
  const PAGES = {
    Overview: '/',
    Accounts: '/accounts',
    Hosts: '/accounts',
    Coverage: '/coverage',
    Jobs: '/jobs',
    Calendar: '/calendar',
    Runs: '/runs',
    Bundles: '/bundles',
    Stores: '/stores',
    Alerts: '/alerts',
    Reports: '/reports',
    Settings: '/settings',
  };
  const pages = (text: string): SearchHit[] =>
    Object.entries(PAGES)
      .filter(([name]) => name.toLowerCase().startsWith(text.trim().toLowerCase()))
      .map(([name, link]) => ({ kind: 'page', name, about: '', link }));
  const files = (text: string): SearchHit[] => [
    {
      kind: 'files',
      name: `“${text.trim()}” in the paths of all bundles`,
      about: '',
      link: `/files${queryString({ q: text.trim() })}`,
    },
  ];
  function go(row: SearchHit) {
    open = false;
    words = '';
    push(row.link);
  }
  function key(event: KeyboardEvent) {
    if (event.key === 'Escape') open = false;
    else if (event.key === 'ArrowDown') {
      chosen = Math.min(chosen + 1, found.length - 1);
      event.preventDefault();
    } else if (event.key === 'ArrowUp') {
      chosen = Math.max(chosen - 1, 0);
      event.preventDefault();
    } else if (event.key === 'Enter' && open && found[chosen]) go(found[chosen]);
  }
</script>

<svelte:window
  onkeydown={(e) => {
    if (
      e.key === '/' &&
      !(
        e.target instanceof HTMLInputElement ||
        e.target instanceof HTMLTextAreaElement ||
        e.target instanceof HTMLSelectElement
      )
    ) {
      document.getElementById('search')?.focus();
      e.preventDefault();
    }
  }}
/>
<div class="relative w-44 sm:w-56">
  <Input
    id="search"
    size="sm"
    role="combobox"
    aria-expanded={open}
    aria-controls="search-found"
    aria-autocomplete="list"
    aria-activedescendant={open && found.length ? `found-${chosen}` : undefined}
    aria-label="Search accounts, sites, jobs, stores, bundles, files, pages"
    placeholder="Search  ( / )"
    bind:value={words}
    oninput={typed}
    onkeydown={key}
    onblur={() => setTimeout(() => (open = false), 150)}
    autocomplete="off"
  />
  <ul
    id="search-found"
    role="listbox"
    aria-label="Found"
    class="sheet absolute! right-0 z-20 mt-1 w-80 max-w-[90vw] overflow-hidden shadow-lg"
    class:hidden={!open}
  >
    {#each found as row, n (row.kind + row.link + row.name)}
      <li
        id="found-{n}"
        role="option"
        aria-selected={n === chosen}
        class="cursor-pointer px-3 py-1.5 aria-selected:bg-gray-100 dark:aria-selected:bg-gray-700"
        onmousedown={() => go(row)}
      >
        <span class="text-sm text-faint">{row.kind}</span>
        {row.name} <span class="text-sm text-faint">{row.about}</span>
      </li>
    {:else}
      <li role="option" aria-selected="false" class="px-3 py-2 text-faint">
        {#if problem}<ErrorMessage {problem} />{:else}No matches.{/if}
      </li>
    {/each}
  </ul>
</div>
