<script lang="ts">
  // What needs attention.
  import type { Overview } from '../../lib/types';
  let { overview }: { overview: Overview } = $props();
</script>

<section class="lg:col-span-2" aria-labelledby="attention">
  <h2 id="attention" class="mb-2">Needs attention</h2>
  <div class="sheet divide-y divide-rule">
    {#each overview.attention as row (row.text)}
      {@const broken = row.level === 'broken'}
      <a
        href="#{row.link}"
        class="flex gap-3 px-4 py-2 hover:bg-gray-100 dark:hover:bg-gray-800
          {broken ? 'text-brick' : 'text-amber-ink'}"
      >
        <span aria-hidden="true">{broken ? '■' : '▲'}</span>
        <span>
          <strong>{broken ? 'Broken' : 'Look'}:</strong>
          <span class="underline underline-offset-2">{row.text}</span>
        </span>
      </a>
    {:else}
      <p class="px-4 py-2">
        <span class="text-moss">
          <span aria-hidden="true">●</span> Nothing needs attention.
        </span>
      </p>
    {/each}
  </div>
</section>
