<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button, Checkbox, Input } from 'flowbite-svelte';
  import { passwordChange, tokensAdd, tokensList, tokensRemove } from '../../lib/calls';
  import { session } from '../../lib/api.svelte';
  import type { Token } from '../../lib/types';
  import FormField from '../../ui/fields/FormField.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  import ConfirmDialog from '../../ui/ConfirmDialog.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let tokens = $state<Token[]>([]);
  let name = $state('');
  let made = $state('');
  const action = useAction();
  let removing = $state('');
  let sure = $state(false);
  let old = $state('');
  let fresh = $state('');
  let ending = $state(false);
  const changing = useAction();
  const load = async () => {
    tokens = (await tokensList()).items;
  };
  action.run(load);
  async function add(event: Event) {
    event.preventDefault();
    await action.run(async () => {
      made = (await tokensAdd({ name })).token;
      name = '';
      await load();
    });
  }
  async function change(event: Event) {
    event.preventDefault();
    await changing.run(async () => {
      await passwordChange({ old, new: fresh, end_tokens: ending });
      session.who = null;
    });
  }
</script>

<section class="sheet p-4">
  <h2 class="mb-2">Your tokens</h2>
  <p class="mb-2 text-sm text-faint">
    For programs and the command line: <code>FASCICULUS_TOKEN</code>.
  </p>
  {#each tokens as token (token.name)}
    <div class="mb-1 flex items-center gap-3">
      <span>{token.name}</span><span class="mr-auto text-sm text-faint"
        >last used <Timestamp at={token.last_used} /></span
      ><Button
        size="xs"
        color="alternative"
        onclick={() => {
          removing = token.name;
          sure = true;
        }}
        aria-label="Remove {token.name}">Remove</Button
      >
    </div>
  {:else}<p class="text-faint">None.</p>{/each}
  {#if made}<p class="my-3 rounded bg-amber-soft p-3">
      Shown only once: <code class="wrap-anywhere select-all">{made}</code>
    </p>{/if}
  <form onsubmit={add} class="mt-3 flex gap-3">
    <div class="grow">
      <Input aria-label="Purpose of the token" placeholder="Purpose" bind:value={name} required />
    </div>
    <Button type="submit" size="sm" disabled={!name}>Create token</Button>
  </form>
  <ErrorMessage problem={action.problem} />
</section>
<section class="sheet p-4">
  <h2 class="mb-2">Your password</h2>
  <form onsubmit={change}>
    <div class="grid gap-x-4 sm:grid-cols-2">
      <FormField label="Old password" id="old-password" wrong={changing.problem?.at('old')}
        ><Input
          id="old-password"
          type="password"
          autocomplete="current-password"
          bind:value={old}
          required
        /></FormField
      >
      <FormField
        label="New password"
        id="new-password"
        wrong={fresh && fresh.length < 10
          ? 'Use at least 10 characters.'
          : changing.problem?.at('new')}
        ><Input
          id="new-password"
          type="password"
          autocomplete="new-password"
          bind:value={fresh}
          required
        /></FormField
      >
    </div>
    <div class="mb-3">
      <Checkbox bind:checked={ending}>Also remove all of your tokens</Checkbox>
    </div>
    <ErrorMessage problem={changing.problem} /><Button
      type="submit"
      size="sm"
      disabled={!old || fresh.length < 10}>Change password and sign in again</Button
    >
  </form>
</section>
<ConfirmDialog
  bind:open={sure}
  title="Remove the token"
  name={removing}
  what="What uses the token {removing} is locked out at once."
  action={async () => {
    await tokensRemove(removing);
    await load();
  }}
/>
