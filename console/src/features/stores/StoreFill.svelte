<script lang="ts">
  // How full a store is, as a bar where it tells what is free.
  import { size } from '../../lib/words';
  let { store }: { store: { bytes: number; free?: number | null } } = $props();
  const share = $derived(
    store.free == null ? null : (100 * store.bytes) / Math.max(1, store.bytes + store.free),
  );
</script>

<div class="min-w-28">
  <span class="whitespace-nowrap tabular-nums"
    >{size(store.bytes)}{store.free == null ? '' : ` of ${size(store.bytes + store.free)}`}</span
  >
  {#if share != null}
    <div class="mt-0.5 h-1.5 bg-gray-200 dark:bg-gray-700" aria-hidden="true">
      <div
        class="h-full {share > 90 ? 'bg-brick' : 'bg-primary-600 dark:bg-primary-400'}"
        style="width:{Math.max(1, share)}%"
      ></div>
    </div>
  {/if}
</div>
