<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import Router, { router } from 'svelte-spa-router';
  import { sessionClose } from './lib/calls';
  import { session } from './lib/api.svelte';
  import { live } from './lib/live.svelte';
  import SearchBox from './ui/SearchBox.svelte';
  import Account from './features/accounts/Account.svelte';
  import AccountEdit from './features/accounts/AccountEdit.svelte';
  import Accounts from './features/accounts/Accounts.svelte';
  import Alerts from './features/reports/Alerts.svelte';
  import Bundle from './features/bundles/Bundle.svelte';
  import Bundles from './features/bundles/Bundles.svelte';
  import Calendar from './features/calendar/Calendar.svelte';
  import Files from './features/bundles/Files.svelte';
  import JobEdit from './features/jobs/JobEdit.svelte';
  import Coverage from './features/accounts/Coverage.svelte';
  import Discovery from './features/hosts/Discovery.svelte';
  import HostEdit from './features/hosts/HostEdit.svelte';
  import Jobs from './features/jobs/Jobs.svelte';
  import NotThere from './ui/NotThere.svelte';
  import Overview from './features/overview/Overview.svelte';
  import Report from './features/reports/Report.svelte';
  import Reports from './features/reports/Reports.svelte';
  import Restore from './features/restores/Restore.svelte';
  import Run from './features/runs/Run.svelte';
  import Runs from './features/runs/Runs.svelte';
  import Settings from './features/settings/Settings.svelte';
  import SignIn from './features/people/SignIn.svelte';
  import StoreEdit from './features/stores/StoreEdit.svelte';
  import Stores from './features/stores/Stores.svelte';

  const routes = {
    '/': Overview,
    '/accounts': Accounts,
    '/accounts/new': AccountEdit,
    '/accounts/:name': Account,
    '/accounts/:name/edit': AccountEdit,
    '/alerts': Alerts,
    '/calendar': Calendar,
    '/coverage': Coverage,
    '/hosts/new': HostEdit,
    '/hosts/:name': HostEdit,
    '/hosts/:name/discovery': Discovery,
    // In mails of the version before.
    '/hosts/:name/finding': Discovery,
    '/jobs': Jobs,
    '/jobs/new': JobEdit,
    '/jobs/:name': JobEdit,
    '/runs': Runs,
    '/runs/:id': Run,
    '/bundles': Bundles,
    '/bundles/:id': Bundle,
    '/files': Files,
    '/restores/:id': Restore,
    '/stores': Stores,
    '/stores/new': StoreEdit,
    '/stores/:name': StoreEdit,
    '/reports': Reports,
    '/reports/:id': Report,
    '/settings': Settings,
    '*': NotThere,
  };
  const places = [
    ['/', 'Overview'],
    ['/accounts', 'Accounts'],
    ['/jobs', 'Jobs'],
    ['/calendar', 'Calendar'],
    ['/runs', 'Runs'],
    ['/bundles', 'Bundles'],
    ['/stores', 'Stores'],
    ['/reports', 'Reports'],
    ['/settings', 'Settings'],
  ];
  // Hosts and coverage belong to what exists.
  const belongs: Record<string, string[]> = {
    '/accounts': ['/accounts', '/hosts', '/coverage'],
    '/bundles': ['/bundles', '/files', '/restores'],
  };
  const here = (path: string) =>
    path === '/'
      ? router.location === '/'
      : (belongs[path] ?? [path]).some((p) => (router.location ?? '').startsWith(p));
  session.look();
  $effect(() => {
    if (session.who && !session.who.must_change) live.open();
    else live.close();
  });
  $effect(() => {
    const place = places.find(([path]) => here(path))?.[1] ?? '';
    document.title = place ? `${place} · Fasciculus` : 'Fasciculus';
  });
  async function signOut() {
    await sessionClose();
    session.who = null;
  }
</script>

{#if !session.known}
  <p class="p-8 text-faint">Loading …</p>
{:else if !session.who || session.who.must_change}
  <SignIn />
{:else}
  <a
    href="#content"
    class="sr-only focus:not-sr-only"
    onclick={(e) => {
      e.preventDefault();
      document.getElementById('content')?.focus();
    }}>Skip to the page</a
  >
  <header class="border-b border-rule bg-sheet">
    <div class="mx-auto flex max-w-screen-2xl flex-wrap items-center gap-x-5 gap-y-1 px-4 py-2">
      <a href="#/" class="flex items-center gap-2 text-lg font-bold"
        ><img src="/mark.svg" alt="" class="h-7" />Fasciculus</a
      >
      <nav
        aria-label="Pages"
        class="order-last flex w-full gap-1 overflow-x-auto lg:order-none lg:w-auto"
      >
        {#each places as [path, name] (path)}
          <a
            href="#{path}"
            aria-current={here(path) ? 'page' : undefined}
            class={['place', here(path) && 'here']}>{name}</a
          >
        {/each}
      </nav>
      <div class="ml-auto flex items-center gap-3">
        <SearchBox />
        <Button
          size="xs"
          color="alternative"
          onclick={signOut}
          title="Signed in as {session.who.name}">Sign out</Button
        >
      </div>
    </div>
    {#if !live.connected}
      <div role="status" class="bg-amber-soft px-4 py-1 text-center text-amber-ink">
        ▲ The connection to the service is lost. This page may be out of date; it reconnects by
        itself.
      </div>
    {/if}
  </header>
  <main id="content" tabindex="-1" class="mx-auto max-w-screen-2xl px-4 py-5 outline-none">
    <Router {routes} />
  </main>
{/if}
