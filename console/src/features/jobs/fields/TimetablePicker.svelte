<script lang="ts">
  // Writes the text of a timetable out of a few choices.
  import { Input, Label, Select } from 'flowbite-svelte';
  import { choices, RHYTHMS, written, type Choices } from './timetable';
  let { value = $bindable() }: { value: string } = $props();
  const DAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'];
  const named = (names: readonly string[]) => names.map((name) => ({ value: name, name }));
  const now = $derived(choices(value));
  const write = (change: Partial<Choices>) => (value = written({ ...now, ...change }) || value);
  const text = (e: Event) => (e.target as HTMLInputElement).value;
</script>

{#snippet day(label: string)}
  <div>
    <Label for="start-day" class="mb-1">{label}</Label>
    <Input
      id="start-day"
      size="sm"
      type="date"
      value={now.date}
      oninput={(e) => write({ date: text(e) || now.date })}
    />
  </div>
{/snippet}

<div class="mb-3 flex flex-wrap items-end gap-3" role="group" aria-label="Timetable picker">
  <div>
    <Label for="rhythm" class="mb-1">Frequency</Label>
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
  {:else if ['weekly', 'weeks', 'days', 'place'].includes(now.rhythm)}
    {#if now.rhythm === 'weeks' || now.rhythm === 'days'}
      <div class="w-20">
        <Label for="count" class="mb-1">{now.rhythm === 'weeks' ? 'Weeks' : 'Days'}</Label>
        <Input
          id="count"
          size="sm"
          type="number"
          min="1"
          max="99"
          value={now.count}
          oninput={(e) => write({ count: text(e) || '2' })}
        />
      </div>
    {/if}
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
    {#if now.rhythm !== 'days'}
      <div class="w-24">
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
    {/if}
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
  {/if}
  {#if now.rhythm === 'once'}{@render day('On')}{/if}
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
  {#if now.rhythm === 'weeks' || now.rhythm === 'days'}{@render day('From')}{/if}
</div>
