<script lang="ts">
  // Asks the owner of a drive for access, and shows how that stands.
  import { useAction } from '../../lib/action.svelte';
  import { Button } from 'flowbite-svelte';
  import { storesAccess, storesConnect, storesDisconnect } from '../../lib/calls';
  import type { StoreAccess } from '../../lib/types';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { store }: { store: string } = $props();
  let access = $state<StoreAccess | null>(null);
  const doing = useAction();
  const MARKS = { none: '○', waiting: '◔', given: '●', refused: '■' };
  const WORDS = {
    none: 'Not connected',
    waiting: 'Waiting',
    given: 'Connected',
    refused: 'Refused',
  };
  async function act(call: () => Promise<StoreAccess | void>) {
    await doing.run(async () => {
      access = (await call()) ?? (await storesAccess(store));
    });
  }
  $effect(() => {
    act(() => storesAccess(store));
  });
  $effect(() => {
    if (access?.state !== 'waiting') return;
    const timer = setInterval(() => act(() => storesAccess(store)), 1000 * (access.interval ?? 5));
    return () => clearInterval(timer);
  });
</script>

<section class="sheet p-4">
  <h2 class="mb-1">Access to the drive</h2>
  <ErrorMessage problem={doing.problem} />
  {#if access}
    <p aria-live="polite">
      <span aria-hidden="true">{MARKS[access.state]}</span>
      <strong>{WORDS[access.state]}.</strong>
      {access.text}
    </p>
    {#if access.state === 'waiting'}
      <p class="mt-2">
        <a class="link" href={access.address} target="_blank" rel="noreferrer">{access.address}</a>
      </p>
      <p class="mt-1 text-xl font-semibold tracking-widest">{access.code}</p>
    {/if}
    <div class="mt-3 flex gap-2">
      <Button size="xs" onclick={() => act(() => storesConnect(store))}
        >{access.state === 'given' ? 'Connect again' : 'Connect'}</Button
      >
      {#if access.state === 'given'}
        <Button size="xs" color="alternative" onclick={() => act(() => storesDisconnect(store))}
          >Disconnect</Button
        >
      {/if}
    </div>
  {/if}
</section>
