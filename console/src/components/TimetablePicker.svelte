<script lang="ts">
  // Writes the text of a timetable out of a few choices.
  import { Input, Label, Select } from 'flowbite-svelte';
  import { choices, RHYTHMS, written, type Choices } from '../lib/timetable';
  let { value = $bindable() }: { value: string } = $props();
  const DAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'];
  const named = (names: readonly string[]) => names.map((name) => ({ value: name, name }));
  const now = $derived(choices(value));
  const write = (change: Partial<Choices>) => (value = written({ ...now, ...change }) || value);
  const text = (e: Event) => (e.target as HTMLInputElement).value;
</script>

<div class="mb-3 flex flex-wrap items-end gap-3" role="group" aria-label="Timetable picker">
  <div>
    <Label for="rhythm" class="mb-1">How often</Label>
    <Select
      id="rhythm"
      size="sm"
      placeholder=""
      items={RHYTHMS}
      value={now.rhythm}
      onchange={(e) => write({ rhythm: e.currentTarget.value })}
    />
  </div>
  {#if now.rhythm === 'every'}
    <div>
      <Label for="hours" class="mb-1">Hours</Label>
      <Select
        id="hours"
        size="sm"
        placeholder=""
        items={named(['2', '3', '4', '6', '8', '12'])}
        value={now.hours}
        onchange={(e) => write({ hours: e.currentTarget.value })}
      />
    </div>
  {:else if now.rhythm === 'weekly' || now.rhythm === 'place'}
    {#if now.rhythm === 'place'}
      <div>
        <Label for="place" class="mb-1">The</Label>
        <Select
          id="place"
          size="sm"
          placeholder=""
          items={named(['first', 'second', 'third', 'fourth', 'last'])}
          value={now.place}
          onchange={(e) => write({ place: e.currentTarget.value })}
        />
      </div>
    {/if}
    <div>
      <Label for="weekday" class="mb-1">On</Label>
      <Select
        id="weekday"
        size="sm"
        placeholder=""
        items={named(DAYS)}
        value={now.weekday}
        onchange={(e) => write({ weekday: e.currentTarget.value })}
      />
    </div>
  {:else if now.rhythm === 'monthly'}
    <div>
      <Label for="monthday" class="mb-1">On day</Label>
      <Input
        id="monthday"
        size="sm"
        type="number"
        min="1"
        max="31"
        value={now.day}
        oninput={(e) => write({ day: text(e) || '1' })}
      />
    </div>
  {:else if now.rhythm === 'once'}
    <div>
      <Label for="once-day" class="mb-1">On</Label>
      <Input
        id="once-day"
        size="sm"
        type="date"
        value={now.date}
        oninput={(e) => write({ date: text(e) || now.date })}
      />
    </div>
  {/if}
  {#if now.rhythm && now.rhythm !== 'by hand'}
    <div>
      <Label for="time" class="mb-1">{now.rhythm === 'every' ? 'From' : 'At'}</Label>
      <Input
        id="time"
        size="sm"
        type="time"
        value={now.time}
        oninput={(e) => write({ time: text(e) || '02:15' })}
      />
    </div>
  {/if}
</div>
