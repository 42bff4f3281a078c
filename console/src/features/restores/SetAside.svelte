<script lang="ts">
  // What a restore in place has set aside: put it back, or remove it.
  import { Button } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import { useAction } from '../../lib/action.svelte';
  import { restoresDrop, restoresUndo } from '../../lib/calls';
  import type { Restore } from '../../lib/types';
  import { size } from '../../lib/words';
  import ConfirmDialog from '../../ui/ConfirmDialog.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import Timestamp from '../../ui/Timestamp.svelte';
  let { restore, refused = false }: { restore: Restore; refused?: boolean } = $props();
  const doing = useAction();
  let dropping = $state(false);
  let forcing = $state(false);
  let removing = $state(false);
  const copy = $derived(restore.relocation?.beside ? restore.relocation : null);
  const names = $derived(Object.values(restore.databases ?? {}).join(', '));
  const databases = $derived(names ? `, and the databases ${names}` : '');
  const kept = $derived(restore.plan ? size(restore.plan.aside_bytes) : 'What was replaced');
  const undo = (force: boolean) => async () => {
    push(`/restores/${(await restoresUndo(restore.id, { force })).id}`);
  };
</script>

{#if copy}
  <section class="sheet mb-5 p-4" aria-labelledby="copy">
    <h2 id="copy" class="mb-2">Copy beside the original</h2>
    <p class="mb-3">
      Let the web server serve {copy.address} from {copy.to_folder} of {copy.account}. The copy
      stays until it is removed.
    </p>
    <Button size="sm" color="alternative" onclick={() => (removing = true)}>Remove the copy</Button>
    <ErrorMessage problem={doing.problem} />
  </section>
  <ConfirmDialog
    bind:open={removing}
    title="Remove the copy"
    name={restore.subject}
    what="The folder {copy.to_folder} of {copy.account} is removed{databases}, with all changes made
      there."
    action={undo(true)}
  />
{:else}
  <section class="sheet mb-5 p-4" aria-labelledby="aside">
    <h2 id="aside" class="mb-2">Set aside</h2>
    <p class="mb-3">
      {kept} is kept{#if restore.aside_until}{' until '}<Timestamp at={restore.aside_until} />{/if}.
      Look at the site, then keep the restore, or undo it.
    </p>
    <div class="flex flex-wrap gap-3">
      <Button size="sm" onclick={() => doing.run(undo(false))} disabled={doing.busy}>Undo</Button>
      {#if refused}
        <Button size="sm" color="alternative" onclick={() => (forcing = true)}
          >Undo all the same</Button
        >
      {/if}
      <Button size="sm" color="alternative" onclick={() => (dropping = true)}
        >Drop what is set aside</Button
      >
    </div>
    <ErrorMessage problem={doing.problem} />
  </section>
  <ConfirmDialog
    bind:open={dropping}
    title="Drop what is set aside"
    name={restore.subject}
    what="The files that restore {restore.id} replaced or removed are deleted. It can no longer be
    undone."
    action={async () => {
      push(`/restores/${(await restoresDrop(restore.id)).id}`);
    }}
  />
  <ConfirmDialog
    bind:open={forcing}
    title="Undo all the same"
    name={restore.subject}
    what="Files that changed since the restore are set aside too, and replaced by what was there
    before."
    action={undo(true)}
  />
{/if}
