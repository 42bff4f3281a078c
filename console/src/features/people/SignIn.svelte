<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button, Input } from 'flowbite-svelte';
  import { passwordChange, sessionOpen } from '../../lib/calls';
  import { session } from '../../lib/api.svelte';

  import FormField from '../../ui/fields/FormField.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let name = $state('administrator');
  let password = $state('');
  let fresh = $state('');
  let again = $state('');
  const action = useAction();
  const short = $derived(fresh && fresh.length < 10 ? 'Use at least 10 characters.' : '');
  const differs = $derived(again && again !== fresh ? 'The two differ.' : '');

  async function signIn(event: Event) {
    event.preventDefault();
    await action.run(async () => {
      session.who = await sessionOpen({ name, password });
    });
  }
  async function change(event: Event) {
    event.preventDefault();
    await action.run(async () => {
      await passwordChange({ old: password, new: fresh });
      session.who = await sessionOpen({ name, password: fresh });
    });
  }
</script>

<main class="mx-auto mt-[12vh] max-w-sm px-4">
  <div class="sheet p-7">
    <h1 class="mb-5 flex items-center gap-3">
      <img src="/mark.svg" alt="" class="h-9" />Fasciculus
    </h1>
    {#if session.who?.must_change}
      <form onsubmit={change}>
        <p class="mb-3">
          The initial password only allows you to set a new one. Choose your own password.
        </p>
        {#if !password}<FormField label="Initial password" id="old"
            ><Input id="old" type="password" bind:value={password} required /></FormField
          >{/if}
        <FormField label="New password" id="new" wrong={short}
          ><Input
            id="new"
            type="password"
            autocomplete="new-password"
            bind:value={fresh}
            required
          /></FormField
        >
        <FormField label="Repeat" id="again" wrong={differs}
          ><Input
            id="again"
            type="password"
            autocomplete="new-password"
            bind:value={again}
            required
          /></FormField
        >
        <ErrorMessage problem={action.problem} />
        <Button type="submit" class="w-full" disabled={!!short || !!differs || !again}
          >Set password</Button
        >
      </form>
    {:else}
      <form onsubmit={signIn}>
        <FormField label="Name" id="name"
          ><Input id="name" autocomplete="username" bind:value={name} required /></FormField
        >
        <FormField label="Password" id="password"
          ><Input
            id="password"
            type="password"
            autocomplete="current-password"
            bind:value={password}
            required
          /></FormField
        >
        <ErrorMessage problem={action.problem} />
        <Button type="submit" class="w-full" disabled={action.busy}>Sign in</Button>
      </form>
    {/if}
  </div>
</main>
