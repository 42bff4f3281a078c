<script lang="ts">
  // How pieces are packed.
  import { Select } from 'flowbite-svelte';
  import type { JobForm } from '../../../lib/types';
  import FormDetails from '../../../ui/fields/FormDetails.svelte';
  import FormField from '../../../ui/fields/FormField.svelte';
  import NumberField from '../../../ui/fields/NumberField.svelte';
  import SealingFields from '../fields/SealingFields.svelte';
  let { job = $bindable(), at }: { job: JobForm; at: (field: string) => string } = $props();
  const MIB = 1024 * 1024;
  const CODECS = ['zstd', 'gzip', 'none'].map((name) => ({ value: name, name }));
  const pieces = {
    get mib() {
      return Math.round(job.piece_size / MIB);
    },
    set mib(value: number | null) {
      job.piece_size = (value ?? 0) * MIB;
    },
  };
</script>

<FormDetails title="Packing and sealing">
  <div class="grid gap-x-5 sm:grid-cols-3">
    <FormField label="Compression" id="compression">
      <Select id="compression" placeholder="" items={CODECS} bind:value={job.compression} />
    </FormField>
    <NumberField
      label="Level"
      id="level"
      min={1}
      max={19}
      hint="Empty: the default."
      optional
      bind:value={job.level}
      wrong={at('level')}
    />
    <NumberField
      label="Piece size (MiB)"
      id="pieces"
      min={1}
      bind:value={pieces.mib}
      wrong={at('piece_size')}
    />
  </div>
  <SealingFields
    bind:recipients={job.recipients}
    whose="The bundles of this job"
    wrong={at('recipients')}
  />
</FormDetails>
