<script lang="ts">
  import { Progressbar } from 'flowbite-svelte';
  import type { Task } from '../../lib/types';
  import { changesWords, duration, size, took } from '../../lib/words';
  import OutcomeLabel from '../../ui/OutcomeLabel.svelte';
  let { task }: { task: Task } = $props();
  const kept = (copy: Task['copies'][number]) =>
    `${copy.kept} kept` + (copy.retired ? `, ${copy.retired} retired` : '');
  const share = $derived(task.expected ? Math.min(99, (100 * task.bytes) / task.expected) : 0);
</script>

<tr>
  <td>
    {#if task.bundle_id}<a class="link" href="#/bundles/{task.bundle_id}">{task.subject}</a
      >{:else}{task.subject}{/if}
  </td>
  <td><OutcomeLabel outcome={task.outcome} state={task.state} /></td>
  {#if task.state === 'running'}
    <td colspan="4">
      <div class="flex items-center gap-3">
        <div class="w-40 shrink-0">
          {#if task.expected}<Progressbar
              progress={share.toFixed(0)}
              size="h-2"
              aria-label="Progress of {task.subject}"
            />{/if}
        </div>
        <span class="text-sm tabular-nums" data-testid="progress">
          {task.stage || 'starting'}: {task.entries.toLocaleString('en')} entries, {size(
            task.bytes,
          )} read, {size(task.packed)} packed, {size(task.pushed)} sent{task.rate
            ? `, ${size(task.rate)}/s`
            : ''}{task.remaining ? `, ${duration(task.remaining)} left` : ''}
        </span>
      </div>
    </td>
    <td></td><td></td>
  {:else}
    <td class="num">{task.entries.toLocaleString('en')}</td>
    <td class="num">{size(task.bytes)}</td>
    <td class="num">{size(task.packed)}</td>
    <td class="num">{took(task.started, task.ended)}</td>
    <td class="text-sm"
      >{#if task.changes && task.bundle_id}<a
          class="link"
          href="#/bundles/{task.bundle_id}?view=changes">{changesWords(task.changes)}</a
        >{:else}<span class="text-faint">–</span>{/if}</td
    >
    <td
      >{#each task.copies as copy (copy.store)}<div>
          {copy.store}:
          {#if copy.error}<span class="text-brick">■ no copy</span>{:else}{kept(copy)}{/if}
        </div>{/each}</td
    >
  {/if}
</tr>
{#if task.error || task.warnings.length}
  <tr
    ><td colspan="8">
      {#if task.error}<div class="border-l-4 border-brick bg-brick-soft px-3 py-1">
          {task.error}
        </div>{/if}
      {#each task.warnings.slice(0, 20) as warning, n (n)}<div
          class="border-l-4 border-amber-ink bg-amber-soft px-3 py-0.5 wrap-anywhere"
        >
          {warning}
        </div>{/each}
      {#if task.warnings.length > 20}<div class="px-3">
          … and {task.warnings.length - 20} more in the log.
        </div>{/if}
    </td></tr
  >
{/if}
