<script lang="ts">
  // Writes the text of a timetable out of a few choices.
  import { Input, Label, Select } from 'flowbite-svelte';
  let { value = $bindable() }: { value: string } = $props();
  const RHYTHMS = [
    { value: 'by hand', name: 'by hand' },
    { value: 'hourly', name: 'every hour' },
    { value: 'daily', name: 'every day' },
    { value: 'weekdays', name: 'Monday to Friday' },
    { value: 'weekly', name: 'every week' },
    { value: 'monthly', name: 'every month' },
    { value: '', name: 'as written' },
  ];
  const DAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'];
  const WRITTEN = new RegExp(
    '^(?:(daily|weekdays) ([\\d:]+)|hourly :(\\d+)' +
      '|weekly (\\w{3}) ([\\d:]+)|monthly (\\d+) ([\\d:]+))$',
  );
  const parsed = $derived(WRITTEN.exec(value.trim()) ?? []);
  const rhythm = $derived(
    value.trim() === 'by hand'
      ? 'by hand'
      : (parsed[1] ?? (parsed[3] ? 'hourly' : parsed[4] ? 'weekly' : parsed[6] ? 'monthly' : '')),
  );
  const time = $derived(parsed[2] ?? parsed[5] ?? parsed[7] ?? '02:15');
  const weekday = $derived(parsed[4] ?? 'sun');
  const monthday = $derived(parsed[6] ?? '1');

  function write(change: { rhythm?: string; time?: string; weekday?: string; day?: string }) {
    const now = { rhythm, time, weekday, day: monthday, ...change };
    const minute = now.time.split(':')[1] ?? '15';
    if (now.rhythm === 'by hand') value = 'by hand';
    else if (now.rhythm === 'hourly') value = `hourly :${minute}`;
    else if (now.rhythm === 'weekly') value = `weekly ${now.weekday} ${now.time}`;
    else if (now.rhythm === 'monthly') value = `monthly ${now.day} ${now.time}`;
    else if (now.rhythm) value = `${now.rhythm} ${now.time}`;
  }
</script>

<div class="mb-3 flex flex-wrap items-end gap-3" role="group" aria-label="Timetable picker">
  <div>
    <Label for="rhythm" class="mb-1">How often</Label>
    <Select
      id="rhythm"
      size="sm"
      placeholder=""
      items={RHYTHMS}
      value={rhythm}
      onchange={(e) => write({ rhythm: e.currentTarget.value })}
    />
  </div>
  {#if rhythm === 'weekly'}
    <div>
      <Label for="weekday" class="mb-1">On</Label>
      <Select
        id="weekday"
        size="sm"
        placeholder=""
        items={DAYS.map((day) => ({ value: day, name: day }))}
        value={weekday}
        onchange={(e) => write({ weekday: e.currentTarget.value })}
      />
    </div>
  {:else if rhythm === 'monthly'}
    <div>
      <Label for="monthday" class="mb-1">On day</Label>
      <Input
        id="monthday"
        size="sm"
        type="number"
        min="1"
        max="31"
        value={monthday}
        oninput={(e) => write({ day: (e.target as HTMLInputElement).value || '1' })}
      />
    </div>
  {/if}
  {#if rhythm && rhythm !== 'by hand' && rhythm !== 'hourly'}
    <div>
      <Label for="time" class="mb-1">At</Label>
      <Input
        id="time"
        size="sm"
        type="time"
        value={time}
        oninput={(e) => write({ time: (e.target as HTMLInputElement).value || '02:15' })}
      />
    </div>
  {/if}
</div>
