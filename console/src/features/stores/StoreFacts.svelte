<script lang="ts">
  // What is on a store.
  import type { Store } from '../../lib/types';
  import { count, size } from '../../lib/words';
  let { store }: { store: Store } = $props();
</script>

<section class="sheet p-4">
  <h2 class="mb-1">Contents</h2>
  <p>
    {count(store.copies, 'copy', 'copies')}, {size(store.bytes)}.
    <a class="link" href="#/bundles?store={store.name}">Show them</a>
  </p>
  <p class="mt-1 text-sm text-faint">Jobs: {store.jobs.join(', ') || 'none'}</p>
</section>
<section class="sheet p-4">
  <h2 class="mb-1">If its credentials are stolen</h2>
  {#each store.if_stolen ?? [] as sentence (sentence)}<p class="mb-1">{sentence}</p>{/each}
</section>
