<script lang="ts">
  // How trying went; a host key that is not accepted yet is offered.
  import { Button } from 'flowbite-svelte';
  import type { TryResult } from '../lib/types';
  import StepList from './StepList.svelte';
  let {
    tried,
    accepted,
    accept,
  }: { tried: TryResult; accepted: string; accept: (key: string) => void } = $props();
</script>

<section class="sheet p-4">
  <h2 class="mb-2">{tried.ok ? 'All steps succeed' : 'A step fails'}</h2>
  <StepList {tried} />
  {#if tried.host_key && tried.host_key !== accepted}
    <p class="mt-3">
      The server shows the host key <code class="wrap-anywhere">{tried.host_key}</code>. Compare it
      with the one that its administrator gave you.
    </p>
    <Button size="xs" class="mt-2" onclick={() => accept(tried.host_key)}
      >Accept this host key</Button
    >
  {/if}
</section>
