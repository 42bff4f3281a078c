<script lang="ts">
  // How fast bytes may go to a store, how long it may stand still, what stays free.
  import { Checkbox, Input } from 'flowbite-svelte';
  import type { StoreForm } from './store';
  import FormDetails from '../../ui/fields/FormDetails.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import LinesField from '../../ui/fields/LinesField.svelte';
  import NumberField from '../../ui/fields/NumberField.svelte';
  let { store = $bindable(), at }: { store: StoreForm; at: (field: string) => string } = $props();
  const GIB = 1024 ** 3;
  const reserve = {
    get gib() {
      return Math.round(store.reserve / GIB);
    },
    set gib(value: number | null) {
      store.reserve = (value ?? 0) * GIB;
    },
  };
</script>

<FormDetails title="Transfers and verification">
  <FormField
    label="Limits"
    id="limits"
    hint="One per line, in this machine's time zone: 2 MiB/s 08:00-18:00. Empty: no limit."
    wrong={at('limits')}
  >
    <LinesField id="limits" bind:value={store.limits} placeholder="2 MiB/s 08:00-18:00" />
  </FormField>
  <div class="grid gap-x-5 sm:grid-cols-2">
    <NumberField
      label="Stall timeout (seconds)"
      id="stall_timeout"
      min={10}
      max={3600}
      bind:value={store.stall_timeout}
      wrong={at('stall_timeout')}
    />
    <NumberField
      label="Concurrent tasks"
      id="at-once"
      min={0}
      max={64}
      hint="0: no limit."
      bind:value={store.max_concurrent}
      wrong={at('max_concurrent')}
    />
    <NumberField
      label="Reserved free space (GiB)"
      id="reserve"
      min={0}
      hint="No backup starts if it would leave less."
      bind:value={reserve.gib}
      wrong={at('reserve')}
    />
    <NumberField
      label="Deep verify every (days)"
      id="verify-days"
      min={0}
      max={3650}
      hint="Reads and compares each copy in the background. 0: never."
      bind:value={store.verify_days}
      wrong={at('verify_days')}
    />
    <FormField
      label="Queue"
      id="queue"
      hint="The workers near this store, for hosts without a queue."
      wrong={at('queue')}
    >
      <Input id="queue" bind:value={store.queue} placeholder="north" />
    </FormField>
    <FormField
      label="Read back"
      id="read-back"
      hint="If the store cannot return checksums. Doubles the traffic."
    >
      <Checkbox id="read-back" bind:checked={store.read_back}>Read uploads back</Checkbox>
    </FormField>
  </div>
</FormDetails>
