<script lang="ts">
  // Everything that destroys says exactly what will go, and asks for the name.
  import { Button, Input, Label, Modal } from 'flowbite-svelte';
  import { Problem } from '../lib/api.svelte';
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
  let problem = $state<Problem | null>(null);
  async function go(event: Event) {
    event.preventDefault();
    try {
      await action();
      open = false;
      typed = '';
    } catch (error) {
      problem = error as Problem;
    }
  }
</script>

<Modal bind:open {title} size="sm" class="bg-sheet">
  <p>{what}</p>
  <form onsubmit={go}>
    <Label for="sure-name" class="mb-1">Type <strong>{name}</strong> to confirm</Label>
    <Input id="sure-name" bind:value={typed} autocomplete="off" />
    <ErrorMessage {problem} />
    <Button type="submit" color="red" class="mt-4" disabled={typed !== name}>{title}</Button>
  </form>
</Modal>
