<script lang="ts">
  import type { Problem } from '../lib/api.svelte';
  let { problem }: { problem: Problem | null } = $props();
</script>

{#if problem}
  <div role="alert" class="my-3 rounded border-l-4 border-brick bg-brick-soft px-4 py-2">
    <strong>{problem.message}</strong>
    {problem.wayOut}
  </div>
{/if}
