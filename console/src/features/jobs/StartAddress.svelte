<script lang="ts">
  // The secret address that starts the job from outside, with lines to copy.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Toggle } from 'flowbite-svelte';
  import {
    jobsAddress,
    jobsAddressChange,
    jobsAddressMake,
    jobsAddressRemove,
  } from '../../lib/calls';
  import type { StartAddress, StartAddressMade } from '../../lib/types';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import LinesField from '../../ui/fields/LinesField.svelte';
  import NumberField from '../../ui/fields/NumberField.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  let { job }: { job: string } = $props();
  let found = $state<StartAddress | null>(null);
  let made = $state<StartAddressMade | null>(null);
  let networks = $state<string[]>([]);
  let perHour = $state<number | null>(12);
  let enabled = $state(true);
  const doing = useAction();
  function take(address: StartAddress | null) {
    found = address;
    networks = address?.networks ?? [];
    perHour = address?.per_hour ?? 12;
    enabled = address?.enabled ?? true;
  }
  $effect(() => {
    // None yet is no error.
    jobsAddress(job).then(take, () => take(null));
  });
  const lines = $derived(
    made
      ? [
          ['Address', made.url],
          ['curl', made.curl],
          ['crontab', made.crontab],
        ]
      : [],
  );
  const settings = () => ({
    networks: $state.snapshot(networks),
    per_hour: perHour ?? 12,
    enabled,
  });
  async function act(call: () => Promise<unknown>) {
    await doing.run(async () => {
      await call();
    });
  }
  const make = () =>
    act(async () => {
      made = await jobsAddressMake(job, settings());
      take(made);
    });
  const save = () => act(async () => take(await jobsAddressChange(job, settings())));
  const remove = () =>
    act(async () => {
      await jobsAddressRemove(job);
      made = null;
      take(null);
    });
</script>

{#if made}
  <div class="mb-3 space-y-2 rounded bg-amber-soft p-3">
    <p>Shown only once. Anyone with this address can start the job.</p>
    {#each lines as [name, text] (name)}
      <p><strong>{name}:</strong> <code class="wrap-anywhere select-all">{text}</code></p>
    {/each}
  </div>
{:else if found}
  <p class="mb-3">
    Created <Timestamp at={found.made} />, last used <Timestamp at={found.used} />.
  </p>
{/if}
<div class="grid gap-x-4 sm:grid-cols-2">
  <FormField
    label="Allowed networks"
    id="networks"
    hint="One per line, such as 192.0.2.0/24. Empty: any network."
    wrong={doing.problem?.at('networks')}
  >
    <LinesField id="networks" bind:value={networks} />
  </FormField>
  <NumberField
    label="Maximum starts per hour"
    id="per-hour"
    min={1}
    max={3600}
    bind:value={perHour}
    wrong={doing.problem?.at('per_hour')}
  />
</div>
<Toggle bind:checked={enabled} class="mb-3">Enabled</Toggle>
<div class="flex flex-wrap gap-3">
  {#if found}<Button size="sm" color="alternative" onclick={save}>Save</Button>{/if}
  <Button size="sm" color="alternative" onclick={make}
    >{found ? 'Replace the address' : 'Make an address'}</Button
  >
  {#if found}<Button size="sm" color="alternative" onclick={remove}>Remove</Button>{/if}
</div>
<ErrorMessage problem={doing.problem} />
