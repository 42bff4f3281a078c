<script lang="ts">
  // Writes the text of a keep rule out of numbers.
  import { Input, Label } from 'flowbite-svelte';
  import { parts, ruleText, type Part } from './keep';
  let { value = $bindable(), id }: { value: string; id: string } = $props();
  const FIELDS: [Part, string][] = [
    ['newest', 'newest'],
    ['days', 'all of days'],
    ['hourly', 'hourly'],
    ['daily', 'daily'],
    ['weekly', 'weekly'],
    ['monthly', 'monthly'],
    ['yearly', 'yearly'],
    ['least', 'at least'],
  ];
  const now = $derived(parts(value));
  function write(part: Part, typed: string) {
    const changed = { ...now!, [part]: Math.max(0, Math.floor(Number(typed) || 0)) };
    // Nothing at all is no rule: the text stays as it was.
    value = ruleText(changed) || value;
  }
</script>

{#if now}
  <div class="mb-2 grid grid-cols-4 gap-2 sm:grid-cols-8" role="group" aria-label="Keep picker">
    {#each FIELDS as [part, name] (part)}
      <div>
        <Label for="{id}-{part}" class="mb-1 text-xs">{name}</Label>
        <Input
          id="{id}-{part}"
          size="sm"
          type="number"
          min="0"
          max="10000"
          class="px-1! text-right"
          value={now[part] || ''}
          oninput={(e) => write(part, (e.target as HTMLInputElement).value)}
        />
      </div>
    {/each}
  </div>
{/if}
