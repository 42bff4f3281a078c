<script lang="ts">
  // Recipients of alerts, and from when on something is one.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Checkbox, Input, Select } from 'flowbite-svelte';
  import { channelsList, watchChange, watchShow } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import type { WatchSettings } from '../../lib/types';
  import { toggled } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import LinesField from '../../ui/fields/LinesField.svelte';
  import NumberField from '../../ui/fields/NumberField.svelte';
  import ZoneField from '../../ui/fields/ZoneField.svelte';
  let watch = $state<WatchSettings | null>(null);
  const doing = useAction();
  let saved = $state(false);
  const channels = new Loader(channelsList);
  channels.load();
  doing.run(async () => {
    watch = await watchShow();
  });
  const NUMBERS: [keyof WatchSettings & string, string, number, string][] = [
    ['remind_hours', 'Remind every (hours)', 0, '0: never. Only of what nobody has taken on.'],
    ['full_days', 'A store will be full in (days)', 0, ''],
    ['certificate_days', 'A certificate ends in (days)', 0, ''],
    ['lag_hours', 'A store has lacked copies for (hours)', 1, ''],
    ['verify_days', 'Reading back is overdue by (days)', 1, ''],
  ];
  async function save(event: Event) {
    event.preventDefault();
    saved = await doing.run(async () => {
      watch = await watchChange($state.snapshot(watch!));
    });
  }
</script>

{#if watch}
  {@const form = watch}
  <section class="sheet p-4" aria-labelledby="watch">
    <h2 id="watch" class="mb-2">Alerts</h2>
    <form onsubmit={save}>
      <FormField
        label="Recipients"
        id="watch-tell"
        hint="One address per line, for alerts that belong to no job. Empty: all report recipients."
        wrong={doing.problem?.at('recipients')}
      >
        <LinesField id="watch-tell" bind:value={form.recipients} />
      </FormField>
      {#if channels.value?.items.length}
        <div role="group" aria-label="Channels" class="mb-3 flex flex-wrap gap-3">
          {#each channels.value.items as channel (channel.name)}<Checkbox
              checked={form.channels.includes(channel.name)}
              onchange={() => (form.channels = toggled(form.channels, channel.name))}
              >{channel.name}</Checkbox
            >{/each}
        </div>
      {/if}
      <div class="grid gap-x-4 sm:grid-cols-2">
        <FormField
          label="Quiet hours"
          id="quiet"
          hint="Such as 22:00-06:00: alerts opened then are sent afterwards."
          wrong={doing.problem?.at('quiet')}
        >
          <Input id="quiet" bind:value={form.quiet} />
        </FormField>
        <ZoneField bind:value={form.zone} wrong={doing.problem?.at('zone') ?? ''} />
        {#each NUMBERS as [name, label, min, hint] (name)}
          <NumberField
            {label}
            id="watch-{name}"
            {min}
            {hint}
            bind:value={
              () => form[name] as number, (value) => Object.assign(form, { [name]: value ?? min })
            }
            wrong={doing.problem?.at(name)}
          />
        {/each}
        <FormField label="Report restores" id="watch-restores"
          ><Select
            id="watch-restores"
            placeholder=""
            items={[
              { value: 'always', name: 'always' },
              { value: 'trouble', name: 'on trouble' },
              { value: 'never', name: 'never' },
            ]}
            bind:value={form.restores}
          /></FormField
        >
      </div>
      <ErrorMessage problem={doing.problem} />
      <div class="flex items-center gap-3">
        <Button type="submit" size="sm">Save</Button>{#if saved}<span
            class="text-moss"
            role="status">● Saved.</span
          >{/if}
      </div>
    </form>
  </section>
{:else}<ErrorMessage problem={doing.problem} />{/if}
