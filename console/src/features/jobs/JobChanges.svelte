<script lang="ts">
  // What was changed in the job, by whom and when; each can be taken back.
  import { useAction } from '../../lib/action.svelte';
  import { Button } from 'flowbite-svelte';
  import { changesList, jobsRevert } from '../../lib/calls';
  import { live } from '../../lib/live.svelte';
  import { Loader } from '../../lib/loader.svelte';
  import type { SettingChange } from '../../lib/types';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  let { job, taken }: { job: string; taken: () => void } = $props();
  const reverting = useAction();
  const list = new Loader(() => changesList({ kind: 'job', name: job, limit: 20 }));
  $effect(() => {
    void job;
    list.load();
  });
  $effect(() => live.refresh(['jobs'], () => list.load()));
  const shown = (value: unknown): string => {
    if (Array.isArray(value)) return value.join(', ') || 'none';
    if (typeof value === 'boolean') return value ? 'on' : 'off';
    return value === '' || value == null ? 'none' : String(value);
  };
  const words = (change: SettingChange): string[] => {
    if (!change.before) return ['added'];
    if (!change.after) return ['removed'];
    const before = change.before;
    return Object.entries(change.after).map(
      ([name, value]) => `${name}: ${shown(before[name])} → ${shown(value)}`,
    );
  };
  async function takeBack(change: SettingChange) {
    await reverting.run(async () => {
      await jobsRevert(job, change.id);
      taken();
      await list.load();
    });
  }
</script>

<ErrorMessage problem={reverting.problem ?? list.problem} />
<ul class="divide-y divide-rule">
  {#each list.value?.items ?? [] as change (change.id)}
    <li class="flex items-start gap-3 py-2">
      <div class="grow">
        <p class="text-sm text-faint"><Timestamp at={change.at} />, {change.who}</p>
        {#each words(change) as line (line)}<p class="wrap-anywhere">{line}</p>{/each}
      </div>
      {#if change.before}
        <Button
          size="xs"
          color="alternative"
          aria-label="Take change {change.id} back"
          onclick={() => takeBack(change)}>Revert</Button
        >
      {/if}
    </li>
  {:else}<li class="text-faint">No changes recorded.</li>{/each}
</ul>
