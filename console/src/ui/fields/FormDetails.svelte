<script lang="ts">
  // A part of a form that is folded away until it is wanted.
  import type { Snippet } from 'svelte';
  let {
    title,
    open = false,
    children,
  }: { title: string; open?: boolean; children: Snippet } = $props();
</script>

<details class="p-4" {open}>
  <summary class="cursor-pointer font-semibold">{title}</summary>
  <div class="mt-3">{@render children()}</div>
</details>
