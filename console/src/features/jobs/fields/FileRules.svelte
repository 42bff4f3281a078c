<script lang="ts">
  // Includes and excludes of a job's files.
  import { Checkbox, Input } from 'flowbite-svelte';
  import type { Rules } from '../../../lib/types';
  import FormField from '../../../ui/fields/FormField.svelte';
  import LinesField from '../../../ui/fields/LinesField.svelte';
  let { rules = $bindable(), at }: { rules: Rules; at: (field: string) => string } = $props();
  const MIB = 1024 * 1024;
  type SetName = Rules['sets'][number];
  const SETS: [SetName, string][] = [
    ['caches', 'caches'],
    ['logs', 'logs'],
    ['thumbnails', 'thumbnails'],
    ['dependencies', 'dependency folders'],
  ];
  const flip = (name: SetName) =>
    (rules.sets = rules.sets.includes(name)
      ? rules.sets.filter((n) => n !== name)
      : [...rules.sets, name]);
  let larger = $state('');
  let older = $state('');
  $effect(() => {
    larger = rules.larger_than ? String(rules.larger_than / MIB) : '';
    older = rules.older_than ? String(rules.older_than) : '';
  });
</script>

<p class="mb-2 text-sm text-faint">
  Patterns as in .gitignore: *.log, /private/, **/cache/**, !keep.log.
</p>
<div class="mb-3 flex flex-wrap gap-x-5 gap-y-1">
  <span>Exclude:</span>
  {#each SETS as [name, word] (name)}<Checkbox
      checked={rules.sets.includes(name)}
      onchange={() => flip(name)}>{word}</Checkbox
    >{/each}
</div>
<div class="grid gap-x-5 sm:grid-cols-2">
  <FormField label="Also exclude" id="excludes" hint="One per line." wrong={at('rules.excludes')}
    ><LinesField
      id="excludes"
      rows={3}
      bind:value={rules.excludes}
      placeholder="uploads/2019/"
    /></FormField
  >
  <FormField
    label="Include only"
    id="includes"
    hint="One per line. Empty: everything."
    wrong={at('rules.includes')}
    ><LinesField
      id="includes"
      rows={3}
      bind:value={rules.includes}
      placeholder="/public/"
    /></FormField
  >
  <FormField label="Maximum file size (MiB)" id="larger" wrong={at('rules.larger_than')}
    ><Input
      id="larger"
      type="number"
      min="0"
      bind:value={larger}
      onchange={() => (rules.larger_than = Math.round(Number(larger) * MIB) || 0)}
    /></FormField
  >
  <FormField label="Maximum file age (days)" id="older" wrong={at('rules.older_than')}
    ><Input
      id="older"
      type="number"
      min="0"
      bind:value={older}
      onchange={() => (rules.older_than = Math.round(Number(older)) || 0)}
    /></FormField
  >
  <FormField
    label="File with a folder’s own excludes"
    id="ignore-file"
    wrong={at('rules.ignore_file')}
    ><Input
      id="ignore-file"
      bind:value={rules.ignore_file}
      placeholder=".backup-exclude"
    /></FormField
  >
  <div class="mb-3 space-y-1 sm:pt-7">
    <Checkbox bind:checked={rules.one_file_system}>Stay on one file system</Checkbox>
    <Checkbox bind:checked={rules.skip_tagged_caches}>Exclude folders with a CACHEDIR.TAG</Checkbox>
  </div>
</div>
