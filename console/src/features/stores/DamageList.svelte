<script lang="ts">
  // What is missing or altered on a store, and every bundle and entry that it harms.
  import { useAction } from '../../lib/action.svelte';
  import { Button } from 'flowbite-svelte';
  import { damageList, storesRepair } from '../../lib/calls';
  import { live } from '../../lib/live.svelte';
  import type { DamageRow } from '../../lib/types';
  import { count } from '../../lib/words';
  import Timestamp from '../../ui/Timestamp.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { store }: { store: string } = $props();
  let damage = $state<DamageRow[]>([]);
  const action = useAction();
  const load = () =>
    damageList({ store, limit: 100 })
      .then((p) => (damage = p.items))
      .catch((e) => (action.problem = e));
  $effect(() => {
    void store;
    load();
  });
  $effect(() => live.refresh(['maintenance', 'stores'], load));
  const impact = (d: DamageRow) =>
    [
      `It affects ${count(d.bundles.length, 'bundle')}`,
      `and ${count(d.harmed, 'entry', 'entries')}.`,
      d.repair_from.length
        ? `It can be repaired from ${d.repair_from.join(' or ')}.`
        : 'No other store has a copy to repair it from.',
      d.stored_again
        ? `${d.stored_again} stored its contents again.`
        : 'The next run stores its contents again.',
    ].join(' ');
  async function repair(subject: string) {
    await action.run(async () => {
      await storesRepair(store, { subject });
    });
  }
</script>

<ErrorMessage problem={action.problem} />
{#each damage as d (d.id)}
  <div class="mb-2 border-l-4 border-brick bg-brick-soft px-3 py-2 text-sm wrap-anywhere">
    <div>
      <strong>■ {d.subject}: {d.file}</strong>
      {d.reason}; found <Timestamp at={d.found} />.
      {impact(d)}
      {#if d.repair_from.length}<Button
          size="xs"
          class="ml-2"
          onclick={() => repair(d.subject)}
          aria-label="Repair {d.file}">Repair</Button
        >{/if}
    </div>
    <details>
      <summary class="cursor-pointer">Affected bundles and files</summary>
      <div class="text-faint">{d.bundles.join(', ')}</div>
      {#each d.files as file (file)}<div>{file}</div>{/each}{#if d.harmed > d.files.length}<div>
          … and {d.harmed - d.files.length} more
        </div>{/if}
    </details>
  </div>
{/each}
