<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button } from 'flowbite-svelte';
  import { hostsList, hostsTry } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import type { TryResult } from '../../lib/types';
  import { count } from '../../lib/words';
  import StepList from '../../ui/StepList.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  const hosts = new Loader(() => hostsList({ limit: 500 }));
  let tried = $state<Record<string, TryResult>>({});
  const doing = useAction();
  hosts.load();
  async function tryOut(name: string) {
    await doing.run(async () => {
      tried[name] = await hostsTry(name);
    });
  }
</script>

<section class="sheet p-4">
  <h2 class="mb-2">Hosts</h2>
  <ErrorMessage problem={doing.problem ?? hosts.problem} />
  {#each hosts.value?.items ?? [] as host (host.name)}
    <div class="mb-2 flex flex-wrap items-center gap-3">
      <strong>{host.name}</strong>
      <span class="mr-auto text-faint">{host.where}, {count(host.accounts, 'account')}</span>
      <Button
        size="xs"
        color="alternative"
        onclick={() => tryOut(host.name)}
        aria-label="Try {host.name}">Try</Button
      ><Button
        size="xs"
        color="alternative"
        href="#/hosts/{host.name}"
        aria-label="Change {host.name}">Change</Button
      >
    </div>
    {#if tried[host.name]}<StepList tried={tried[host.name]} />{/if}
  {:else}<p class="mb-2 text-faint">
      No hosts yet. Add this machine, or another one over SSH.
    </p>{/each}
  <Button size="sm" href="#/hosts/new">Add a host</Button>
</section>
