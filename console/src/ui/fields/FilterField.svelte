<script lang="ts" generics="T">
  // A filter of a list, kept in the address.
  import { Input, Select } from 'flowbite-svelte';
  import type { Listing } from '../../lib/lists.svelte';
  let {
    list,
    name,
    label,
    items = null,
  }: {
    list: Listing<T>;
    name: string;
    label: string;
    items?: { value: string; name: string }[] | null;
  } = $props();
  let timer: ReturnType<typeof setTimeout> | undefined;
  const typed = (value: string) => {
    clearTimeout(timer);
    timer = setTimeout(() => list.set(name, value), 300);
  };
</script>

{#if items}
  <Select
    aria-label={label}
    class="w-auto!"
    classes={{ select: 'pr-9!' }}
    size="sm"
    items={[{ value: '', name: label }, ...items]}
    placeholder=""
    value={list.filters[name] ?? ''}
    onchange={(e) => list.set(name, e.currentTarget.value)}
  />
{:else}
  <div class="w-56">
    <Input
      aria-label={label}
      placeholder={label}
      size="sm"
      value={list.filters[name] ?? ''}
      oninput={(e) => typed((e.target as HTMLInputElement).value)}
    />
  </div>
{/if}
