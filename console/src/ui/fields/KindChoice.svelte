<script lang="ts">
  // Which kind of thing it is.
  import { Radio } from 'flowbite-svelte';
  import type { KindInfo } from '../../lib/types';
  let {
    kinds,
    value = $bindable(),
    onchange,
  }: { kinds: KindInfo[]; value: string; onchange?: () => void } = $props();
</script>

<div class="mb-4 grid gap-x-6 gap-y-2 sm:grid-cols-2" role="radiogroup" aria-label="Kind">
  {#each kinds as kind (kind.name)}
    <Radio name="kind" value={kind.name} bind:group={value} {onchange}>{kind.title}</Radio>
  {/each}
</div>
