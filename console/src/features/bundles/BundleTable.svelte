<script lang="ts">
  import type { Bundle } from '../../lib/types';
  import { size } from '../../lib/words';
  import Timestamp from '../../ui/Timestamp.svelte';
  import OutcomeLabel from '../../ui/OutcomeLabel.svelte';
  let { bundles }: { bundles: Bundle[] } = $props();
</script>

{#if bundles.length}
  <div class="sheet overflow-x-auto">
    <table class="ledger">
      <thead
        ><tr
          ><th scope="col">Bundle</th><th scope="col">Created</th><th scope="col">Outcome</th><th
            scope="col"
            class="num">Entries</th
          ><th scope="col" class="num">Size</th><th scope="col" class="num">New data</th><th
            scope="col"
            class="num">Stored</th
          ><th scope="col">Copies on</th></tr
        ></thead
      >
      <tbody
        >{#each bundles as b (b.id)}<tr>
            <td><a class="link" href="#/bundles/{b.id}">{b.name}</a></td><td
              ><Timestamp at={b.moment} /></td
            ><td><OutcomeLabel outcome={b.outcome} /></td>
            <td class="num">{b.entries.toLocaleString('en')}</td><td class="num">{size(b.bytes)}</td
            ><td class="num">{size(b.new_bytes)}</td><td class="num">{size(b.packed)}</td><td
              >{#each b.copies as c, n (c.store)}{n ? ', ' : ''}{c.store}{#if !c.sound}{' '}<span
                    class="font-semibold text-brick">■ damaged</span
                  >{/if}{/each}</td
            >
          </tr>{/each}</tbody
      >
    </table>
  </div>
{:else}<div class="sheet p-6 text-center text-faint">
    No bundle yet. <a class="link" href="#/jobs">Start a job</a> that covers it.
  </div>{/if}
