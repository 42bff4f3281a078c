<script lang="ts">
  // What a host's rules find, as a difference to what is known; taken over singly or all at once.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Checkbox } from 'flowbite-svelte';
  import { hostsFind, hostsAccept, hostsUnmatched } from '../../lib/calls';
  import type { Proposed, Unmatched } from '../../lib/types';
  import { count } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { params }: { params: { name: string } } = $props();
  let rows = $state<Proposed[] | null>(null);
  let chosen = $state<Record<string, boolean>>({});
  let rest = $state<Unmatched | null>(null);
  const action = useAction();
  let done = $state('');
  const SHOWN = 200;
  const KINDS: Record<string, { mark: string; tone: string }> = {
    new: { mark: '+', tone: 'text-moss' },
    changed: { mark: '~', tone: 'text-amber-ink' },
    gone: { mark: '–', tone: 'text-brick' },
  };
  const picked = $derived(
    rows?.filter((r) => chosen[r.account.name]).map((r) => r.account.name) ?? [],
  );
  async function look() {
    const went = await action.run(async () => {
      rows = (await hostsFind(params.name)).items;
      rest = await hostsUnmatched(params.name);
      chosen = {};
    });
    if (!went) rows = null;
  }
  $effect(() => {
    void params.name;
    look();
  });
  async function take(body: { all?: boolean; accounts?: string[] }) {
    done = '';
    await action.run(async () => {
      const taken = await hostsAccept(params.name, body);
      done = `Took over ${count(taken.count, 'account')}.`;
      await look();
    });
  }
</script>

<div class="mb-3 flex flex-wrap items-center gap-3">
  <h1 class="mr-auto">
    Accounts found on <a class="link" href="#/hosts/{params.name}">{params.name}</a>
  </h1>
  <Button size="sm" color="alternative" onclick={look} disabled={action.busy}
    >{action.busy ? 'Looking …' : 'Look again'}</Button
  >
  {#if picked.length}<Button
      size="sm"
      color="alternative"
      onclick={() => take({ accounts: picked })}
      disabled={action.busy}>Take over {count(picked.length, 'account')}</Button
    >{/if}
  {#if rows?.length}<Button size="sm" onclick={() => take({ all: true })} disabled={action.busy}
      >Take over all {rows.length.toLocaleString('en')}</Button
    >{/if}
</div>
<ErrorMessage problem={action.problem} />
<div aria-live="polite">
  {#if done}<p class="mb-3">
      <span class="text-moss" aria-hidden="true">●</span>
      {done} <a class="link" href="#/coverage?state=bare">Check the coverage by jobs</a>
    </p>{/if}
  {#if rows && !rows.length}<p class="sheet p-8 text-center text-faint">
      No changes: all accounts found are known. <a class="link" href="#/accounts">The accounts</a>
    </p>{/if}
</div>
{#if rows?.length}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="sheet overflow-x-auto" tabindex="0" role="region" aria-label="Result">
    <table class="ledger">
      <thead
        ><tr
          ><th scope="col"><span class="sr-only">Chosen</span></th><th scope="col">Account</th><th
            scope="col">Is</th
          ><th scope="col">What</th></tr
        ></thead
      >
      <tbody
        >{#each rows.slice(0, SHOWN) as row (row.account.name)}<tr>
            <td
              ><Checkbox
                aria-label="Choose {row.account.name}"
                checked={!!chosen[row.account.name]}
                onchange={() => (chosen[row.account.name] = !chosen[row.account.name])}
              /></td
            >
            <td
              ><strong>{row.account.name}</strong>
              <div class="text-sm wrap-anywhere text-faint">{row.account.home}</div></td
            >
            <td class="whitespace-nowrap {KINDS[row.kind].tone}"
              ><span aria-hidden="true">{KINDS[row.kind].mark}</span> {row.kind}</td
            >
            <td
              >{row.changes.slice(0, 8).join(', ') || 'an empty account'}{row.changes.length > 8
                ? ` and ${row.changes.length - 8} more`
                : ''}{#if row.kind === 'gone'}<div class="text-sm text-faint">
                  Accepting marks it as deleted: jobs no longer include it, its bundles are kept.
                </div>{/if}</td
            >
          </tr>{/each}</tbody
      >
    </table>
  </div>
  {#if rows.length > SHOWN}<p class="mt-2 text-sm text-faint">
      The first {SHOWN} of {rows.length.toLocaleString('en')}; “Take over all” takes every one.
    </p>{/if}
{/if}
{#if rest?.databases?.length || rest?.names?.length}
  <section class="sheet mt-4 p-4" aria-labelledby="unmatched">
    <h2 id="unmatched" class="mb-2">Without an account</h2>
    {#if rest.databases?.length}
      <p>No rule gives these databases to an account: {rest.databases.join(', ')}.</p>
    {/if}
    {#if rest.names?.length}
      <p>These server names say no domain, so there is no site of them: {rest.names.join(', ')}.</p>
    {/if}
  </section>
{/if}
