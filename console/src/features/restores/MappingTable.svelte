<script lang="ts">
  // Where each thing of a bundle goes, editable: an empty text is not exchanged.
  import { Input, Textarea } from 'flowbite-svelte';
  import type { RelocationProposal } from '../../lib/types';
  import FormField from '../../ui/fields/FormField.svelte';
  let { proposal = $bindable() }: { proposal: RelocationProposal } = $props();
  const moves = $derived(proposal.relocation);
  let newText = $state('');
  let newPlace = $state('');
  const parts = $derived([
    { what: 'database', map: (proposal.databases ??= {}) },
    { what: 'owner', map: (proposal.owners ??= {}) },
    { what: 'database user', map: (moves.user_names ??= {}) },
    { what: 'text', map: (moves.texts ??= {}) },
  ]);
  const rows = $derived(
    parts.flatMap(({ what, map }) => Object.keys(map).map((old) => ({ what, map, old }))),
  );
  function add() {
    if (newText.trim() && newPlace.trim()) {
      moves.texts = { ...moves.texts, [newText.trim()]: newPlace.trim() };
      newText = newPlace = '';
    }
  }
</script>

<table class="mb-3 w-full text-sm">
  <caption class="mb-1 text-left font-semibold">Mapping</caption>
  <thead>
    <tr class="text-left text-faint">
      <th class="w-32 py-1 font-normal">What</th>
      <th class="py-1 font-normal">In the bundle</th>
      <th class="w-1/2 py-1 font-normal">There</th>
    </tr>
  </thead>
  <tbody>
    <tr>
      <td class="py-1">folder</td>
      <td class="py-1 wrap-anywhere">{moves.from_folder || 'all files'}</td>
      <td class="py-1">
        <Input
          size="sm"
          aria-label="Folder in {moves.account}"
          placeholder="the home of {moves.account}"
          bind:value={moves.to_folder}
        />
      </td>
    </tr>
    {#each rows as row (row.what + row.old)}
      <tr>
        <td class="py-1">{row.what}</td>
        <td class="py-1 wrap-anywhere">{row.old}</td>
        <td class="py-1">
          <Input
            size="sm"
            aria-label="{row.what} {row.old} becomes"
            bind:value={row.map[row.old]}
          />
        </td>
      </tr>
    {/each}
    <tr>
      <td class="py-1">another text</td>
      <td class="py-1 pr-3">
        <Input size="sm" aria-label="Another text" bind:value={newText} onchange={add} />
      </td>
      <td class="py-1">
        <Input size="sm" aria-label="Its replacement" bind:value={newPlace} onchange={add} />
      </td>
    </tr>
  </tbody>
</table>
<FormField
  label="Exchange texts in these files"
  id="exchange-in"
  hint="One pattern per line. Texts in databases and links are exchanged in any case."
>
  <Textarea
    id="exchange-in"
    rows={5}
    class="w-full"
    bind:value={
      () => (moves.files ?? []).join('\n'),
      (text: string) => (moves.files = text.split('\n').filter((line) => line.trim()))
    }
  />
</FormField>
