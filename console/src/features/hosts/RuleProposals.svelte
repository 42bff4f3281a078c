<script lang="ts">
  // What a look at the host proposes, and what each rule would find.
  import { Button } from 'flowbite-svelte';
  import type { HostProposal } from '../../lib/types';
  let { proposal, take }: { proposal: HostProposal; take: () => void } = $props();
  const NAMES: Record<string, string> = {
    'discovery.homes': 'Homes',
    'discovery.sites': 'Document roots',
    'discovery.nginx': 'nginx configuration',
    'discovery.apache': 'Apache configuration',
    'discovery.sqlite': 'Database files',
    'discovery.database_prefix': 'Database prefix',
    'discovery.by_grants': 'Databases by grants',
    'discovery.mail': 'Mail domains',
    servers: 'Database server',
    'mail.alias_map': 'Alias map',
    'mail.mailbox_map': 'Mailbox map',
    'mail.transport_map': 'Transport map',
    'mail.passwd_file': 'Passwd-file',
    'mail.home': 'Mail homes',
    'mail.dkim': 'DKIM keys',
  };
</script>

<section class="sheet mb-4 p-4" aria-labelledby="proposals">
  <h2 id="proposals" class="mb-2">Proposed rules</h2>
  <dl>
    {#each proposal.rules ?? [] as rule (rule.field + rule.value)}
      <dt class="text-sm text-faint">{NAMES[rule.field] ?? rule.field}</dt>
      <dd class="mb-2"><code class="wrap-anywhere">{rule.value}</code>, {rule.finds}</dd>
    {:else}
      <p>No further rules were found.</p>
    {/each}
  </dl>
  <p class="mb-3"><strong>Together:</strong> {proposal.finds}</p>
  {#if proposal.rules?.length}
    <Button size="sm" onclick={take}>Use these rules</Button>
  {/if}
</section>
