<script lang="ts">
  // The private keys that the service keeps, to read what is sealed.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Input } from 'flowbite-svelte';
  import { keysKeep, keysList, keysRemove } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import { live } from '../../lib/live.svelte';
  import ConfirmDialog from '../../ui/ConfirmDialog.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  const known = new Loader(keysList);
  let identity = $state('');
  let note = $state('');
  let removing = $state('');
  const doing = useAction();
  $effect(() => {
    known.load();
  });
  $effect(() => live.refresh(['keys'], () => known.load()));
  async function keep(event: Event) {
    event.preventDefault();
    await doing.run(async () => {
      await keysKeep({ identity, note });
      identity = note = '';
      await known.load();
    });
  }
  const short = (key: string) => `${key.slice(0, 12)}…${key.slice(-8)}`;
</script>

<section class="sheet p-5" aria-labelledby="keys">
  <h2 id="keys" class="mb-2">Stored private keys</h2>
  <p class="mb-3 text-sm text-faint">
    The service needs a private key to read sealed bundles, not to create or retire them.
  </p>
  {#if known.value?.items.length}
    <table class="ledger mb-4">
      <thead
        ><tr
          ><th scope="col">Public key</th><th scope="col">Note</th><th scope="col">Stored since</th
          ><th scope="col"><span class="sr-only">Actions</span></th></tr
        ></thead
      >
      <tbody
        >{#each known.value.items as key (key.recipient)}<tr
            ><td title={key.recipient}><code>{short(key.recipient)}</code></td><td>{key.note}</td
            ><td><Timestamp at={key.added} /></td><td
              ><Button
                size="xs"
                color="alternative"
                onclick={() => (removing = key.recipient)}
                aria-label="Forget {key.recipient}">Forget</Button
              ></td
            ></tr
          >{/each}</tbody
      >
    </table>
  {:else}<p class="mb-4">None.</p>{/if}
  <form onsubmit={keep} class="grid gap-x-5 sm:grid-cols-2">
    <FormField
      label="Private key"
      id="identity"
      hint="AGE-SECRET-KEY-1…, as on the recovery sheet."
      wrong={doing.problem?.at('identity')}
    >
      <Input id="identity" type="password" autocomplete="off" bind:value={identity} />
    </FormField>
    <FormField label="Note" id="key-note">
      <Input id="key-note" bind:value={note} />
    </FormField>
    <div><Button type="submit" size="sm" disabled={!identity}>Store key</Button></div>
  </form>
  <ErrorMessage problem={doing.problem ?? known.problem} />
</section>
<ConfirmDialog
  bind:open={() => !!removing, (open) => (removing = open ? removing : '')}
  title="Forget the private key"
  name={removing.slice(-8)}
  what="Without it the service can write and retire what is sealed to it, and not read it."
  action={async () => {
    await keysRemove(removing);
    await known.load();
  }}
/>
