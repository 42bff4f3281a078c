<script lang="ts">
  // A list of texts, one a line.
  import { Textarea } from 'flowbite-svelte';
  let {
    id,
    value = $bindable(),
    rows = 2,
    placeholder = '',
  }: { id: string; value: string[]; rows?: number; placeholder?: string } = $props();
  let text = $state('');
  let last = '';
  $effect(() => {
    const joined = value.join('\n');
    if (joined !== last) {
      last = joined;
      text = joined;
    }
  });
  function typed() {
    const lines = text
      .split('\n')
      .map((line) => line.trim())
      .filter(Boolean);
    last = lines.join('\n');
    value = lines;
  }
</script>

<Textarea
  {id}
  {rows}
  {placeholder}
  class="w-full font-mono text-sm"
  bind:value={text}
  oninput={typed}
/>
