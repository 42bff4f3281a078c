<script lang="ts">
  // Two weeks, a row a day: each start a mark as wide as its run will take; quiet hours shaded.
  import type { Calendar } from '../../lib/types';
  import { duration, exact } from '../../lib/words';
  let { calendar, zone }: { calendar: Calendar; zone: string } = $props();
  const DAY = 1440;
  const TONES = ['bg-primary-600', 'bg-moss', 'bg-amber-ink', 'bg-gray-500', 'bg-primary-300'];
  const HOURS = [0, 3, 6, 9, 12, 15, 18, 21];
  const minutes = (clock: string) => Number(clock.slice(0, 2)) * 60 + Number(clock.slice(3, 5));
  const place = (moment: string) => {
    const text = exact(moment, zone);
    return { day: text.slice(0, 10), minute: minutes(text.slice(11, 16)) };
  };
  const jobs = $derived([...new Set(calendar.starts.map((start) => start.job))]);
  const tone = (job: string) => TONES[jobs.indexOf(job) % TONES.length];
  // Both runs of a collision carry its mark.
  const colliding = (start: Calendar['starts'][0]) => {
    const begin = Date.parse(start.at);
    const end = begin + 1000 * (start.seconds ?? 0);
    return calendar.collisions
      .filter((row) => row.first === start.job || row.second === start.job)
      .some((row) => row.moments.some((m) => Date.parse(m) >= begin && Date.parse(m) <= end));
  };
  const days = $derived.by(() => {
    const found = new Map<string, { start: Calendar['starts'][0]; minute: number }[]>();
    for (let at = Date.parse(calendar.begin); at < Date.parse(calendar.end); at += 86_400_000)
      found.set(place(new Date(at).toISOString()).day, []);
    for (const start of calendar.starts) {
      const { day, minute } = place(start.at);
      found.get(day)?.push({ start, minute });
    }
    return [...found];
  });
  const quiet = $derived.by(() => {
    if (!calendar.quiet) return [];
    const [begin, end] = calendar.quiet.split('-').map(minutes);
    return begin < end
      ? [[begin, end]]
      : [
          [0, end],
          [begin, DAY],
        ];
  });
  const weekday = (day: string) =>
    new Date(`${day}T12:00:00Z`).toLocaleDateString('en-GB', { weekday: 'short' });
  const legend = $derived(`quiet hours ${calendar.quiet} (${calendar.zone})`);
  const percent = (minute: number) => (100 * minute) / DAY;
</script>

<div class="sheet overflow-x-auto p-4">
  <div class="min-w-176">
    <div class="grid grid-cols-[7rem_1fr] text-xs text-faint">
      <span>{zone}</span>
      <div class="relative h-4">
        {#each HOURS as hour (hour)}<span
            class="absolute -translate-x-1/2"
            style="left:{percent(hour * 60)}%">{String(hour).padStart(2, '0')}:00</span
          >{/each}
      </div>
    </div>
    {#each days as [day, starts] (day)}
      <div class="grid grid-cols-[7rem_1fr] items-center border-t border-rule py-0.5 text-sm">
        <span class="tabular-nums">{weekday(day)} {day.slice(5)}</span>
        <div class="relative h-5 bg-gray-100 dark:bg-gray-800">
          {#each quiet as [begin, end] (begin)}<span
              class="absolute inset-y-0 bg-gray-300 dark:bg-gray-700"
              style="left:{percent(begin)}%;width:{percent(end - begin)}%"
              title="Quiet hours"
            ></span>{/each}
          {#each starts as { start, minute } (`${start.job} ${start.at}`)}<a
              href="#/jobs/{start.job}"
              class={[
                'absolute top-0.5 h-4 min-w-1.5 rounded-sm',
                tone(start.job),
                colliding(start) && 'outline-2 outline-brick',
              ]}
              style="left:{percent(minute)}%;width:{percent((start.seconds ?? 0) / 60)}%"
              title="{start.job}: {exact(start.at, start.zone)}{start.seconds
                ? `, about ${duration(start.seconds)}`
                : ''}"
              aria-label="{start.job} at {exact(start.at, start.zone)}"
            ></a>{/each}
        </div>
      </div>
    {/each}
  </div>
  <p class="mt-3 flex flex-wrap gap-x-4 gap-y-1 text-sm">
    {#each jobs as job (job)}<span class="flex items-center gap-1.5"
        ><span class={['inline-block size-3 rounded-sm', tone(job)]}></span>{job}</span
      >{/each}
    {#if calendar.collisions.length}<span class="flex items-center gap-1.5"
        ><span class="inline-block size-3 rounded-sm outline-2 outline-brick"></span>collides</span
      >{/if}
    {#if calendar.quiet}<span class="flex items-center gap-1.5"
        ><span class="inline-block size-3 bg-gray-300 dark:bg-gray-700"></span>{legend}</span
      >{/if}
  </p>
</div>
