<script lang="ts">
  // What is unwise, each with the way out.
  let { advice }: { advice: string[] } = $props();
</script>

{#if advice.length}
  <ul class="mb-3 space-y-1 text-sm text-amber-ink" aria-label="Advice">
    {#each advice as row (row)}
      <li><span aria-hidden="true">▲</span> {row}</li>
    {/each}
  </ul>
{/if}
