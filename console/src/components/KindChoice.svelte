<script lang="ts">
  // Which kind of thing it is.
  import { Radio } from 'flowbite-svelte';
  import type { KindInfo } from '../lib/types';
  let {
    kinds,
    value = $bindable(),
    onchange,
  }: { kinds: KindInfo[]; value: string; onchange?: () => void } = $props();
</script>

<div class="mb-3 flex flex-wrap gap-6" role="radiogroup" aria-label="Kind">
  {#each kinds as kind (kind.name)}
    <Radio name="kind" value={kind.name} bind:group={value} {onchange}>{kind.title}</Radio>
  {/each}
</div>
