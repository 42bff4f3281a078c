<script lang="ts">
  // The next 24 hours on a line: one row a job, a mark a start, its width the expected duration.
  import { clock, duration, exact } from '../../lib/words';
  let {
    now,
    upcoming,
  }: {
    now: string;
    upcoming: { at: string; job: string; zone: string; expected: number | null }[];
  } = $props();
  const DAY = 86_400_000;
  const start = $derived(Date.parse(now));
  const jobs = $derived([...new Set(upcoming.map((u) => u.job))]);
  const place = (at: string) => (100 * (Date.parse(at) - start)) / DAY;
  const hours = $derived(
    Array.from({ length: 8 }, (_, n) => {
      const first = Math.ceil(start / (3 * 3_600_000)) * 3 * 3_600_000;
      return new Date(first + n * 3 * 3_600_000).toISOString();
    }).filter((h) => place(h) < 97),
  );
</script>

{#if jobs.length}
  <div class="grid grid-cols-[9rem_1fr] gap-y-1 text-sm">
    {#each jobs as job (job)}
      <a class="link truncate" href="#/jobs/{job}">{job}</a>
      <div class="relative h-5 border-l border-rule bg-gray-100 dark:bg-gray-800">
        {#each upcoming.filter((u) => u.job === job) as u (u.at)}
          <span
            class="absolute top-0.5 h-4 min-w-1.5 rounded-sm bg-primary-600 dark:bg-primary-400"
            style="left:{place(u.at)}%;width:{Math.max(0, ((u.expected ?? 0) * 100_000) / DAY)}%"
            title="{job}: {exact(u.at, u.zone)}{u.expected
              ? `, about ${duration(u.expected)}`
              : ''}"
          ></span>
        {/each}
      </div>
    {/each}
    <span class="text-faint">UTC</span>
    <div class="relative h-4 text-xs text-faint">
      {#each hours as hour, n (hour)}<span
          class="absolute -translate-x-1/2 {n % 3 ? 'hidden sm:inline' : ''}"
          style="left:{place(hour)}%">{clock(hour)}</span
        >{/each}
    </div>
  </div>
  <p class="sr-only">{upcoming.map((u) => `${u.job} at ${exact(u.at, u.zone)}`).join('; ')}</p>
{:else}<p class="text-faint">
    No start in the next 24 hours. Give a <a class="link" href="#/jobs">job</a> a timetable.
  </p>{/if}
