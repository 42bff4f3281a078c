<script lang="ts">
  // A labelled field with its hint and what is wrong with it, in words, where it is.
  import { Helper, Label } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';
  let {
    label,
    id,
    hint = '',
    wrong = '',
    children,
  }: { label: string; id: string; hint?: string; wrong?: string; children: Snippet } = $props();
</script>

<div class="mb-3">
  <Label for={id} class="mb-1 text-ink dark:text-ink">{label}</Label>
  {@render children()}
  {#if wrong}
    <p id="{id}-wrong" role="alert" class="mt-1 text-sm text-brick">
      <span aria-hidden="true">■</span>
      {wrong}
    </p>
  {:else if hint}
    <Helper class="mt-1 text-faint dark:text-faint">{hint}</Helper>
  {/if}
</div>
