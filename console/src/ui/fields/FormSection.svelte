<script lang="ts">
  // A part of a form under its own heading.
  import type { Snippet } from 'svelte';
  let {
    title,
    columns = false,
    children,
  }: { title: string; columns?: boolean; children: Snippet } = $props();
</script>

<fieldset class="grid grid-cols-1 gap-x-5 p-4 {columns ? 'sm:grid-cols-2' : ''}">
  <legend class="float-left mb-2 w-full text-base font-semibold {columns ? 'sm:col-span-2' : ''}">
    {title}
  </legend>
  {@render children()}
</fieldset>
