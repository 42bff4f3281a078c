<script lang="ts">
  // What is wrong with a group of fields, in words.
  let { text }: { text: string | undefined } = $props();
</script>

{#if text}
  <p role="alert" class="mb-2 text-sm text-brick"><span aria-hidden="true">■</span> {text}</p>
{/if}
