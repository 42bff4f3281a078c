<script lang="ts">
  // What a restore in place changes, path by path.
  import { Button, Select } from 'flowbite-svelte';
  import { useAction } from '../../lib/action.svelte';
  import { restoresPlan } from '../../lib/calls';
  import type { RestorePlanLine } from '../../lib/types';
  import { size } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { restore }: { restore: number } = $props();
  type Action = RestorePlanLine['action'] | '';
  const MARKS = { create: '+', replace: '◐', remove: '−', attributes: '○', keep: '=' };
  const ACTIONS = [
    { value: '', name: 'all' },
    ...Object.keys(MARKS).map((name) => ({ value: name, name })),
  ];
  let action = $state<Action>('');
  let rows = $state<RestorePlanLine[]>([]);
  let next = $state<string | null>(null);
  const doing = useAction();
  async function load(cursor: string | null) {
    await doing.run(async () => {
      const query = { limit: 100, action, ...(cursor ? { cursor } : {}) };
      const page = await restoresPlan(restore, query);
      rows = cursor ? [...rows, ...page.items] : page.items;
      next = page.next ?? null;
    });
  }
  $effect(() => {
    void [restore, action];
    load(null);
  });
  // What is no file of the account says what it is.
  const OTHERS = ['table', 'user', 'setting', 'mail'];
</script>

<div class="mb-2 flex items-center gap-3">
  <h2 class="mr-auto">Plan</h2>
  <label for="plan-action" class="text-sm text-faint">Action</label>
  <Select
    id="plan-action"
    size="sm"
    class="w-36"
    placeholder=""
    items={ACTIONS}
    bind:value={action}
  />
</div>
<ErrorMessage problem={doing.problem} />
<div class="sheet mb-5 overflow-x-auto">
  <table class="ledger">
    <thead
      ><tr
        ><th scope="col">Action</th><th scope="col">Path</th><th scope="col" class="num"
          >In the bundle</th
        ><th scope="col" class="num">Now</th><th scope="col">Why</th></tr
      ></thead
    >
    <tbody>
      {#each rows as row, n (n)}
        <tr
          ><td class={row.action === 'remove' ? 'text-brick' : ''}
            ><span aria-hidden="true">{MARKS[row.action]}</span>
            {row.action}</td
          ><td class="wrap-anywhere"
            >{OTHERS.includes(row.type) ? `${row.type} ` : ''}{row.path || '.'}{row.type === 'dir'
              ? '/'
              : ''}</td
          ><td class="num">{row.bytes ? size(row.bytes) : ''}</td><td class="num"
            >{row.before ? size(row.before) : ''}</td
          ><td>{row.why}</td></tr
        >
      {:else}
        <tr><td colspan="5" class="text-faint">{doing.busy ? '…' : 'Nothing changes.'}</td></tr>
      {/each}
    </tbody>
  </table>
  {#if next}
    <div class="p-3">
      <Button size="xs" color="alternative" onclick={() => load(next)}>Show more</Button>
    </div>
  {/if}
</div>
