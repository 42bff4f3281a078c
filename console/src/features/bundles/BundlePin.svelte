<script lang="ts">
  // Whether the bundle is exempt from every keep rule: why, and until when.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Input } from 'flowbite-svelte';
  import { bundlesPin, bundlesUnpin } from '../../lib/calls';
  import type { BundleDetail } from '../../lib/types';
  import { exact } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { bundle, changed }: { bundle: BundleDetail; changed: (b: BundleDetail) => void } = $props();
  let reason = $state('');
  let day = $state('');
  const doing = useAction();
  async function act(call: Promise<BundleDetail>) {
    await doing.run(async () => {
      changed(await call);
    });
  }
  const pin = (event: Event) => {
    event.preventDefault();
    const until = day ? new Date(`${day}T23:59:59`).toISOString() : null;
    act(bundlesPin(bundle.id, { reason, until }));
  };
</script>

{#if bundle.pin}
  <p class="mb-3 flex flex-wrap items-center gap-3">
    <span
      ><span aria-hidden="true">▪</span> Pinned {bundle.pin.until
        ? `until ${exact(bundle.pin.until)}`
        : 'without end'}{bundle.pin.reason ? `: ${bundle.pin.reason}` : ''}. No keep rule retires
      it.</span
    >
    <Button size="xs" color="alternative" onclick={() => act(bundlesUnpin(bundle.id))}>Unpin</Button
    >
  </p>
{:else}
  <details class="mb-3 text-sm">
    <summary class="cursor-pointer">Pin it: no keep rule retires it</summary>
    <form class="mt-2 flex flex-wrap items-end gap-3" onsubmit={pin}>
      <Input size="sm" class="w-64!" aria-label="Why" placeholder="Why" bind:value={reason} />
      <Input size="sm" type="date" class="w-44!" aria-label="Until" bind:value={day} />
      <Button size="sm" type="submit" color="alternative">Pin</Button>
    </form>
  </details>
{/if}
<ErrorMessage problem={doing.problem} />
