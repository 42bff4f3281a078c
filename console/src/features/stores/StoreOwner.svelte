<script lang="ts">
  // A store that another service writes to: read only, until it is taken over.
  import { Button } from 'flowbite-svelte';
  import { storesClaim } from '../../lib/calls';
  import type { Store } from '../../lib/types';
  import ConfirmDialog from '../../ui/ConfirmDialog.svelte';
  let { store, changed }: { store: Store; changed: () => void } = $props();
  let asking = $state(false);
</script>

<section class="sheet mb-4 flex flex-wrap items-center gap-3 p-4">
  <p class="mr-auto">
    <span aria-hidden="true" class="text-amber-ink">▲</span>
    <strong>Read only.</strong> It belongs to {store.owner}.
  </p>
  <Button size="xs" onclick={() => (asking = true)}>Claim</Button>
</section>
<ConfirmDialog
  bind:open={asking}
  title="Claim the store"
  name={store.name}
  what="From then on this service writes to it and retires what is on it; {store.owner} can do
    neither any more. It must have stopped."
  action={async () => {
    await storesClaim(store.name);
    changed();
  }}
/>
