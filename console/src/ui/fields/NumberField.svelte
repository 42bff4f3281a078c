<script lang="ts">
  // A whole number within bounds.
  import { Input } from 'flowbite-svelte';
  import FormField from './FormField.svelte';
  let {
    label,
    id,
    value = $bindable(),
    min,
    max,
    hint = '',
    wrong = '',
    optional = false,
  }: {
    label: string;
    id: string;
    value: number | null;
    min?: number;
    max?: number;
    hint?: string;
    wrong?: string;
    optional?: boolean;
  } = $props();
  const fault = $derived.by(() => {
    if (value == null) return optional ? '' : 'Give a whole number.';
    if (!Number.isInteger(value)) return 'Give a whole number.';
    if (min != null && value < min) return `Give a number that is at least ${min}.`;
    if (max != null && value > max) return `Give a number that is at most ${max}.`;
    return '';
  });
</script>

<FormField {label} {id} {hint} wrong={fault || wrong}>
  <Input
    {id}
    type="number"
    {min}
    {max}
    step="1"
    class="w-36!"
    bind:value={() => value ?? undefined, (typed) => (value = typed == null ? null : Number(typed))}
  />
</FormField>
