<script lang="ts">
  // How fast bytes may go to a store, how long it may stand still, what stays free.
  import { Checkbox } from 'flowbite-svelte';
  import type { StoreForm } from '../../lib/store';
  import FormDetails from '../FormDetails.svelte';
  import FormField from '../FormField.svelte';
  import LinesField from '../LinesField.svelte';
  import NumberField from '../NumberField.svelte';
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

<FormDetails title="Sending and reading back">
  <FormField
    label="Limits"
    id="limits"
    hint="One per line, in this machine's time: 2 MiB/s 08:00-18:00. Empty: none."
    wrong={at('limits')}
  >
    <LinesField id="limits" bind:value={store.limits} placeholder="2 MiB/s 08:00-18:00" />
  </FormField>
  <div class="grid gap-x-5 sm:grid-cols-2">
    <NumberField
      label="Give up after standing still (seconds)"
      id="stall_timeout"
      min={10}
      max={3600}
      bind:value={store.stall_timeout}
      wrong={at('stall_timeout')}
    />
    <NumberField
      label="Tasks that write to it at once"
      id="at-once"
      min={0}
      max={64}
      hint="0: any number."
      bind:value={store.max_concurrent}
      wrong={at('max_concurrent')}
    />
    <NumberField
      label="Space that stays free (GiB)"
      id="reserve"
      min={0}
      hint="No bundle is begun that would leave less."
      bind:value={reserve.gib}
      wrong={at('reserve')}
    />
    <NumberField
      label="Read through every (days)"
      id="verify-days"
      min={0}
      max={3650}
      hint="Each copy is read and compared once in so many days, in the background; 0 for never."
      bind:value={store.verify_days}
      wrong={at('verify_days')}
    />
    <FormField
      label="Read back"
      id="read-back"
      hint="Where the store cannot give the checksum of what it holds. Twice the traffic."
    >
      <Checkbox id="read-back" bind:checked={store.read_back}>What was sent is read back</Checkbox>
    </FormField>
  </div>
</FormDetails>
