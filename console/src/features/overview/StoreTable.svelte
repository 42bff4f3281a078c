<script lang="ts">
  // What each store holds.
  import { Button } from 'flowbite-svelte';
  import type { StoreFill } from '../../lib/types';
  import FillBar from '../stores/StoreFill.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  let { stores }: { stores: StoreFill[] } = $props();
</script>

<section aria-labelledby="stores">
  <h2 id="stores" class="mt-5 mb-2">Stores</h2>
  <div class="sheet overflow-x-auto">
    <table class="ledger">
      <thead>
        <tr>
          <th scope="col">Store</th>
          <th scope="col" class="num">Copies</th>
          <th scope="col">Fill</th>
          <th scope="col">Full on</th>
          <th scope="col">Newest</th>
        </tr>
      </thead>
      <tbody>
        {#each stores as store (store.name)}
          <tr>
            <td><a class="link" href="#/stores/{store.name}">{store.name}</a></td>
            <td class="num">{store.copies}</td>
            <td><FillBar {store} /></td>
            <td class="whitespace-nowrap">{store.full_on ?? '–'}</td>
            <td><Timestamp at={store.newest} /></td>
          </tr>
        {:else}
          <tr>
            <td colspan="5" class="text-faint">
              None. <Button href="#/stores/new" size="xs">Add a store</Button>
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
</section>
