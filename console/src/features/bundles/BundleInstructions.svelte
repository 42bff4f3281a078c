<script lang="ts">
  // How to bring this bundle back: with Fasciculus, and by hand.
  import { Button } from 'flowbite-svelte';
  import { bundlesInstructions } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import type { InstructionStep } from '../../lib/types';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { bundle }: { bundle: number } = $props();
  const found = new Loader(() => bundlesInstructions(bundle));
  let open = $state(false);
  $effect(() => {
    void bundle;
    if (open) found.load();
  });
  const copy = (commands: string[]) => navigator.clipboard.writeText(commands.join('\n') + '\n');
</script>

{#snippet steps(rows: InstructionStep[], numbered: boolean)}
  <ol class={['space-y-3', numbered && 'list-decimal pl-5']}>
    {#each rows as row (row.title)}
      <li>
        <div class="flex items-start gap-3">
          <span class="mr-auto">{row.title}</span>
          {#if row.commands?.length}
            <Button
              size="xs"
              color="alternative"
              aria-label="Copy: {row.title}"
              onclick={() => copy(row.commands ?? [])}>Copy</Button
            >
          {/if}
        </div>
        {#if row.commands?.length}
          <pre class="mt-1 overflow-x-auto rounded bg-paper p-2 text-sm">{row.commands.join(
              '\n',
            )}</pre>
        {/if}
        {#if row.note}<p class="mt-1 text-sm text-faint">{row.note}</p>{/if}
      </li>
    {/each}
  </ol>
{/snippet}

<details class="mb-4" bind:open>
  <summary class="cursor-pointer">How to bring it back</summary>
  <ErrorMessage problem={found.problem} />
  {#if found.value}
    <div class="sheet mt-2 grid gap-6 p-4 lg:grid-cols-2">
      <section aria-labelledby="how-us" class="min-w-0">
        <h2 id="how-us" class="mb-2">With Fasciculus</h2>
        {@render steps(found.value.with_fasciculus, false)}
      </section>
      <section aria-labelledby="how-hand" class="min-w-0">
        <h2 id="how-hand" class="mb-2">By hand</h2>
        {@render steps(found.value.by_hand, true)}
      </section>
    </div>
  {/if}
</details>
