<script lang="ts">
  // Drills: when they start, the last ones, and one now.
  import { Button, Input } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { useAction } from '../../lib/action.svelte';
  import {
    drillsList,
    drillsSettingsChange,
    drillsSettingsShow,
    drillsStart,
  } from '../../lib/calls';
  import { live } from '../../lib/live.svelte';
  import type { DrillPage, DrillSettings, Restore } from '../../lib/types';
  import { took } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import OutcomeLabel from '../../ui/OutcomeLabel.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import ZoneField from '../../ui/fields/ZoneField.svelte';
  import { drillWords } from './restore';
  let rows = $state<Restore[]>([]);
  let settings = $state<DrillSettings>({
    timetable: 'by hand',
    zone: 'UTC',
    subjects: [],
    page: null,
  });
  let subject = $state('');
  let names = $state('');
  let page = $state('');
  let settingsPage = $state<DrillPage>({ address: '', web_address: '' });
  const action = useAction();
  const load = () => action.run(async () => void (rows = (await drillsList({ limit: 8 })).items));
  $effect(() => {
    load();
    action.run(async () => {
      settings = await drillsSettingsShow();
      names = (settings.subjects ?? []).join(', ');
      settingsPage = settings.page ?? settingsPage;
    });
  });
  $effect(() => live.refresh(['restore'], load));
  async function start(event: Event) {
    event.preventDefault();
    await action.run(async () => {
      const asked = page ? { address: page, web_address: settingsPage.web_address } : null;
      push(`/restores/${(await drillsStart({ subject, page: asked })).id}`);
    });
  }
  async function save(event: Event) {
    event.preventDefault();
    const subjects = names.split(/[\s,]+/).filter(Boolean);
    await action.run(async () => {
      const page = settingsPage.address ? $state.snapshot(settingsPage) : null;
      settings = await drillsSettingsChange({ ...$state.snapshot(settings), subjects, page });
    });
  }
</script>

<section class="sheet mt-5 p-4" aria-labelledby="drills">
  <h2 id="drills" class="mb-1">Drills</h2>
  <p class="mb-3 text-sm text-faint">
    A bundle is restored into a scratch place, every file is compared, databases are loaded and
    counted, and everything is removed again. If you name an address, a copy of the site next to the
    original answers a request there before it is removed.
  </p>
  {#if rows.length}
    <table class="ledger mb-4">
      <thead
        ><tr
          ><th scope="col">Subject</th><th scope="col">Outcome</th><th scope="col">Started</th><th
            scope="col"
            class="num">Took</th
          ><th scope="col">Result</th></tr
        ></thead
      >
      <tbody>
        {#each rows as row (row.id)}
          <tr
            ><td><a class="link" href="#/restores/{row.id}">{row.subject}</a></td><td
              ><OutcomeLabel outcome={row.outcome} state={row.state} /></td
            ><td><Timestamp at={row.started ?? row.created} /></td><td class="num"
              >{took(row.started, row.ended)}</td
            ><td class="wrap-anywhere"
              >{row.drill && row.outcome !== 'failed' ? drillWords(row.drill) : row.error}</td
            ></tr
          >
        {/each}
      </tbody>
    </table>
  {:else}<p class="mb-4">No drill yet.</p>{/if}
  <form onsubmit={start} class="mb-4 flex flex-wrap items-start gap-3">
    <div class="w-72">
      <FormField
        label="Account or site"
        id="drill-subject"
        hint="Empty: the one with the oldest last drill."
        ><Input id="drill-subject" bind:value={subject} /></FormField
      >
    </div>
    <div class="w-72">
      <FormField
        label="Address of a copy"
        id="drill-page"
        hint="Such as try.millpond.example. Empty: no page is requested."
        wrong={action.problem?.at('page.address') || action.problem?.at('page')}
        ><Input id="drill-page" bind:value={page} /></FormField
      >
    </div>
    <Button type="submit" class="mt-7" disabled={action.busy}>Start a drill</Button>
  </form>
  <form onsubmit={save} class="border-t border-rule pt-3">
    <div class="grid gap-x-4 sm:grid-cols-3">
      <FormField
        label="Timetable"
        id="drill-timetable"
        hint="Such as “weekly sun 04:00”, or “by hand”."
        wrong={action.problem?.at('timetable')}
        ><Input id="drill-timetable" required bind:value={settings.timetable} /></FormField
      >
      <ZoneField bind:value={settings.zone!} wrong={action.problem?.at('zone')} />
      <FormField
        label="Only these accounts and sites"
        id="drill-names"
        hint="Separated by commas. Empty: all."
        wrong={action.problem?.at('subjects')}
        ><Input id="drill-names" bind:value={names} /></FormField
      >
      <FormField
        label="Addresses of copies"
        id="drill-pages"
        hint={'Such as {account}.drills.example. Empty: no page is requested.'}
        wrong={action.problem?.at('page.address')}
        ><Input id="drill-pages" bind:value={settingsPage.address} /></FormField
      >
      <FormField
        label="Web server of copies"
        id="drill-web"
        hint="Address and port. Empty: port 80 of the host."
        wrong={action.problem?.at('page.web_address')}
        ><Input id="drill-web" bind:value={settingsPage.web_address} /></FormField
      >
    </div>
    <Button type="submit" size="sm" color="alternative" disabled={action.busy}>Save</Button>
  </form>
  <ErrorMessage problem={action.problem} />
</section>
