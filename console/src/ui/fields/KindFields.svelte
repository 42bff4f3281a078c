<script lang="ts">
  // The settings and secrets of one kind, as the service describes them.
  import { Checkbox, Input, Select, Textarea } from 'flowbite-svelte';
  import type { Problem } from '../../lib/api.svelte';
  import type { KindField, KindInfo, Settings } from '../../lib/types';
  import FormField from './FormField.svelte';
  let {
    kind,
    settings = $bindable(),
    secrets = $bindable(),
    saved,
    problem,
    place,
    prefix = '',
    ids = '',
  }: {
    kind: KindInfo;
    settings: Settings;
    secrets: Record<string, string>;
    /** Secrets that are set already. */
    saved: string[];
    problem: Problem | null;
    /** Where the service finds these settings, such as “connection”. */
    place: string;
    /** Before the names of secrets, such as “mariadb_”. */
    prefix?: string;
    /** Before the ids of fields, if a page has several such forms. */
    ids?: string;
  } = $props();
  const id = (field: KindField) => (ids + prefix + field.name).replaceAll('_', '-');
  const at = (field: KindField) => problem?.at(`${place}.${field.name}`);
  const text = (field: KindField) => String(settings[field.name] ?? field.default ?? '');
  const outOfBounds = (field: KindField) => {
    const value = settings[field.name];
    if (typeof value !== 'number') return '';
    if (field.least != null && value < field.least) return `At least ${field.least}.`;
    if (field.most != null && value > field.most) return `At most ${field.most}.`;
    return '';
  };
  const kept = (field: KindField) =>
    saved.includes(prefix + field.name) ? 'Set; leave empty to keep it.' : field.hint;
</script>

<div class="grid gap-x-5 sm:grid-cols-2">
  {#each kind.fields as field (field.name)}
    <FormField
      label={field.title}
      id={id(field)}
      hint={field.hint}
      wrong={outOfBounds(field) || at(field)}
    >
      {#if field.type === 'switch'}
        <Checkbox
          id={id(field)}
          checked={!!settings[field.name]}
          onchange={(e) => (settings[field.name] = e.currentTarget.checked)}>Yes</Checkbox
        >
      {:else if field.type === 'choice'}
        <Select
          id={id(field)}
          placeholder=""
          items={(field.choices ?? []).map((value) => ({ value, name: value }))}
          value={text(field)}
          onchange={(e) => (settings[field.name] = e.currentTarget.value)}
        />
      {:else if field.multiline}
        <Textarea
          id={id(field)}
          rows={3}
          class="w-full font-mono text-xs"
          placeholder={field.example}
          value={text(field)}
          oninput={(e) => (settings[field.name] = e.currentTarget.value)}
        />
      {:else}
        <Input
          id={id(field)}
          type={field.type === 'number' ? 'number' : 'text'}
          min={field.least}
          max={field.most}
          placeholder={field.example}
          required={field.required}
          autocomplete="off"
          value={text(field)}
          oninput={(e) => {
            const typed = (e.target as HTMLInputElement).value;
            settings[field.name] = field.type === 'number' ? Number(typed) : typed;
          }}
        />
      {/if}
    </FormField>
  {/each}
  {#each kind.secrets as field (field.name)}
    <FormField
      label={field.title}
      id={id(field)}
      hint={kept(field)}
      wrong={problem?.at(`secrets.${prefix}${field.name}`)}
    >
      {#if field.multiline}
        <Textarea
          id={id(field)}
          rows={3}
          class="w-full font-mono"
          bind:value={secrets[prefix + field.name]}
        />
      {:else}
        <Input
          id={id(field)}
          type="password"
          autocomplete="off"
          bind:value={secrets[prefix + field.name]}
        />
      {/if}
    </FormField>
  {/each}
</div>
