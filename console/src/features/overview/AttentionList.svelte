<script lang="ts">
  // What needs attention; what somebody has taken on comes last.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Input } from 'flowbite-svelte';
  import { alertsAcknowledge } from '../../lib/calls';
  import type { Overview } from '../../lib/types';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { overview, reload }: { overview: Overview; reload: () => void } = $props();
  let taking = $state<number | null>(null);
  let note = $state('');
  const doing = useAction();
  async function acknowledge(event: Event) {
    event.preventDefault();
    await doing.run(async () => {
      await alertsAcknowledge(taking!, { note });
      taking = null;
      note = '';
      reload();
    });
  }
</script>

<section class="lg:col-span-2" aria-labelledby="attention">
  <div class="mb-2 flex items-baseline gap-3">
    <h2 id="attention">Needs attention</h2>
    <a class="link text-sm" href="#/alerts">All alerts</a>
  </div>
  <ErrorMessage problem={doing.problem} />
  <div class="sheet divide-y divide-rule">
    {#each overview.attention as row (row.text)}
      {@const broken = row.level === 'broken'}
      <div class="flex flex-wrap items-center gap-x-3 px-4 py-2">
        <a
          href="#{row.link}"
          class={[
            'flex grow basis-3/5 gap-3',
            row.acknowledged_by ? 'text-faint' : broken ? 'text-brick' : 'text-amber-ink',
          ]}
        >
          <span aria-hidden="true">{broken ? '■' : '▲'}</span>
          <span>
            <strong>{broken ? 'Broken' : 'Look'}:</strong>
            <span class="underline underline-offset-2">{row.text}</span>
            {#if row.acknowledged_by}
              <span class="block text-sm"
                >Taken on by {row.acknowledged_by}{row.note ? `: ${row.note}` : ''}</span
              >
            {/if}
          </span>
        </a>
        {#if row.alert && taking === row.alert}
          <form class="flex grow gap-2 py-1" onsubmit={acknowledge}>
            <Input size="sm" aria-label="Comment" placeholder="Comment" bind:value={note} />
            <Button size="xs" type="submit">Acknowledge</Button>
            <Button size="xs" color="alternative" onclick={() => (taking = null)}>Cancel</Button>
          </form>
        {:else if row.alert && !row.acknowledged_by}
          <Button
            size="xs"
            color="alternative"
            aria-label="Acknowledge: {row.text}"
            onclick={() => (taking = row.alert ?? null)}>Acknowledge</Button
          >
        {/if}
      </div>
    {:else}
      <p class="px-4 py-2">
        {#if overview.jobs}
          <span class="text-moss">
            <span aria-hidden="true">●</span> Nothing needs attention.
          </span>
        {:else}
          No job yet: nothing is protected.
        {/if}
      </p>
    {/each}
  </div>
</section>
