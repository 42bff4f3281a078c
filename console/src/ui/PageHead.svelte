<script lang="ts">
  // The heading of a page, with what can be done beside it.
  import type { Snippet } from 'svelte';
  let { title, children }: { title: string; children?: Snippet } = $props();
</script>

<div class="mb-3 flex flex-wrap items-center gap-3">
  <h1 class="mr-auto">{title}</h1>
  {@render children?.()}
</div>
