<script lang="ts">
  // What takes most of a store.
  import type { StoreShare } from '../../lib/types';
  import { size } from '../../lib/words';
  let { title, rows }: { title: string; rows: StoreShare[] } = $props();
  const SHOWN = 10;
</script>

<div class="sheet min-w-0 overflow-x-auto">
  <table class="ledger">
    <thead
      ><tr
        ><th scope="col">{title}</th><th scope="col" class="num">Copies</th><th
          scope="col"
          class="num">Stored</th
        ></tr
      ></thead
    >
    <tbody
      >{#each rows.slice(0, SHOWN) as row (row.name)}<tr
          ><td class="wrap-anywhere">{row.name}</td><td class="num">{row.copies}</td><td class="num"
            >{size(row.bytes)}</td
          ></tr
        >{:else}<tr><td colspan="3" class="text-faint">None.</td></tr>{/each}</tbody
    >
  </table>
</div>
