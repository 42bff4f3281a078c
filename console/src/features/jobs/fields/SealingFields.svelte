<script lang="ts">
  // Public keys to seal to, what their loss means, and a new pair of keys with its sheet to print.
  import { useAction } from '../../../lib/action.svelte';
  import { Button } from 'flowbite-svelte';
  import { keysMake } from '../../../lib/calls';
  import type { KeyMade } from '../../../lib/types';
  import ErrorMessage from '../../../ui/ErrorMessage.svelte';
  import FormField from '../../../ui/fields/FormField.svelte';
  import LinesField from '../../../ui/fields/LinesField.svelte';
  let {
    recipients = $bindable(),
    whose,
    wrong,
  }: { recipients: string[]; whose: string; wrong: string } = $props();
  let made = $state<KeyMade | null>(null);
  const doing = useAction();
  async function make(keep: boolean) {
    await doing.run(async () => {
      made = await keysMake({ keep });
      recipients = [...recipients, made.recipient];
    });
  }
  function print() {
    const page = window.open('', '_blank');
    page?.document.write(made?.sheet ?? '');
    page?.document.close();
    page?.print();
  }
</script>

<p class="mb-2 text-sm">
  {whose} are sealed to these public keys, so that a stolen store reveals nothing.
  <strong>
    Only a private key can open these bundles. If all private keys are lost, the bundles are lost
    too.
  </strong>
</p>
<FormField
  label="Public keys"
  id="recipients"
  hint="One per line, age1…. Empty: not sealed."
  {wrong}
>
  <LinesField id="recipients" bind:value={recipients} placeholder="age1…" rows={3} />
</FormField>
<ErrorMessage problem={doing.problem} />
{#if made}
  <div class="sheet mb-3 space-y-2 p-3" role="status">
    <p>
      The private key is shown only once. Print the recovery sheet and keep it in two safe places.
    </p>
    <p><code class="wrap-anywhere">{made.identity}</code></p>
    <Button size="xs" onclick={print}>Print the recovery sheet</Button>
  </div>
{:else}
  <div class="flex flex-wrap gap-2">
    <Button size="xs" color="alternative" onclick={() => make(false)}
      >Create a key pair and keep the private key yourself</Button
    >
    <Button size="xs" color="alternative" onclick={() => make(true)}
      >Create a key pair and store the private key in the service</Button
    >
  </div>
{/if}
