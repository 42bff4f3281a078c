<script lang="ts">
  // The coming two weeks: starts, how long they take, collisions, quiet hours; pausing everything.
  import { calendarShow, pausesList } from '../../lib/calls';
  import { live } from '../../lib/live.svelte';
  import { Loader } from '../../lib/loader.svelte';
  import CalendarFeed from './CalendarFeed.svelte';
  import PauseForm from './PauseForm.svelte';
  import WeekGrid from './WeekGrid.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import PageHead from '../../ui/PageHead.svelte';
  import { exact } from '../../lib/words';
  const calendar = new Loader(() => calendarShow({ days: 14 }));
  const pauses = new Loader(pausesList);
  const load = () => {
    calendar.load();
    pauses.load();
  };
  load();
  $effect(() => live.refresh(['jobs', 'run', 'runs'], load));
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC';
  const found = $derived(calendar.value);
  const everything = $derived(pauses.value?.items.find((pause) => !pause.job));
</script>

<PageHead title="Calendar" />
<ErrorMessage problem={calendar.problem ?? pauses.problem} />
{#if found}
  <div class="space-y-5">
    {#if found.collisions.length}
      <section class="sheet p-4" aria-labelledby="collisions">
        <h2 id="collisions" class="mb-2">Overlaps in the coming week</h2>
        <ul class="space-y-1">
          {#each found.collisions as row (row.sentence)}<li class="flex gap-2">
              <span class="text-amber-ink" aria-hidden="true">▲</span>
              <span
                >{row.sentence} First on {exact(row.at, zone).slice(0, 16)}.
                <a class="link" href="#/jobs/{row.second}">Change {row.second}</a></span
              >
            </li>{/each}
        </ul>
      </section>
    {/if}
    <WeekGrid calendar={found} {zone} />
    <details class="text-sm">
      <summary class="cursor-pointer">As a table</summary>
      <table class="ledger mt-2">
        <thead><tr><th scope="col">Starts</th><th scope="col">Job</th></tr></thead>
        <tbody
          >{#each found.starts.slice(0, 200) as start (`${start.job} ${start.at}`)}<tr
              ><td>{exact(start.at, start.zone)}</td><td>{start.job}</td></tr
            >{/each}</tbody
        >
      </table>
    </details>
    <div class="grid grid-cols-1 items-start gap-5 lg:grid-cols-2">
      <section class="sheet p-4" aria-labelledby="pause">
        <h2 id="pause" class="mb-2">Pause</h2>
        <p class="mb-3 text-sm text-faint">
          While everything is paused, no run starts. Running tasks continue, and restores are
          possible.
        </p>
        <PauseForm pause={everything} changed={load} />
      </section>
      <CalendarFeed />
    </div>
  </div>
{/if}
