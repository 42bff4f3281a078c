<script lang="ts" module>
  const NAME = /^[a-z0-9]([a-z0-9._-]*[a-z0-9])?$/;

  /** What is wrong with a name while it is typed; nothing while it is empty. */
  export const nameFault = (name: string): string =>
    name && !NAME.test(name) ? 'Use small letters, digits, dots, dashes and underscores.' : '';
</script>

<script lang="ts">
  // The name of a host, account, store or job.
  import { Input } from 'flowbite-svelte';
  import type { Problem } from '../../lib/api.svelte';
  import FormField from './FormField.svelte';
  let {
    value = $bindable(),
    problem,
    hint = '',
    placeholder = '',
    disabled = false,
  }: {
    value: string;
    problem: Problem | null;
    hint?: string;
    placeholder?: string;
    disabled?: boolean;
  } = $props();
</script>

<FormField label="Name" id="name" {hint} wrong={nameFault(value) || problem?.at('name')}>
  <Input id="name" bind:value {placeholder} required {disabled} />
</FormField>
