<script lang="ts">
  // Everything that destroys says exactly what will go, and asks for the name.
  import { useAction } from '../lib/action.svelte';
  import { Button, Input, Label, Modal } from 'flowbite-svelte';
  import ErrorMessage from './ErrorMessage.svelte';
  let {
    open = $bindable(false),
    title,
    what,
    name,
    action,
  }: {
    open?: boolean;
    title: string;
    what: string;
    name: string;
    action: () => Promise<void>;
  } = $props();
  let typed = $state('');
  const doing = useAction();
  async function go(event: Event) {
    event.preventDefault();
    await doing.run(async () => {
      await action();
      open = false;
      typed = '';
    });
  }
</script>

<Modal bind:open {title} size="sm" class="bg-sheet">
  <p>{what}</p>
  <form onsubmit={go}>
    <Label for="sure-name" class="mb-1">Type <strong>{name}</strong> to confirm</Label>
    <Input id="sure-name" bind:value={typed} autocomplete="off" />
    <ErrorMessage problem={doing.problem} />
    <Button type="submit" color="red" class="mt-4" disabled={typed !== name}>{title}</Button>
  </form>
</Modal>
