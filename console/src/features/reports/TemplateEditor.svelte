<script lang="ts">
  // The words of messages: changed here, tried with the last real run, brought back.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Select, Textarea } from 'flowbite-svelte';
  import { templatesChange, templatesPreview, templatesShow } from '../../lib/calls';
  import type { ReportPreview, Template } from '../../lib/types';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  const NAMES = ['report', 'digest', 'alert', 'maintenance'].flatMap((name) => [
    `${name}.txt`,
    `${name}.html`,
  ]);
  let name = $state('report.txt');
  let template = $state<Template | null>(null);
  let text = $state('');
  let preview = $state<ReportPreview | null>(null);
  // The frame asks again when there is something new to see.
  let shown = $state(0);
  const doing = useAction();
  async function act(call: () => Promise<unknown>) {
    await doing.run(async () => {
      await call();
    });
  }
  const take = (found: Template) => {
    template = found;
    text = found.text;
  };
  $effect(() => {
    const wanted = name;
    preview = null;
    act(async () => take(await templatesShow(wanted)));
  });
  const show = () =>
    act(async () => {
      preview = await templatesPreview(name);
      shown += 1;
    });
  const save = (own: string | null) =>
    act(async () => {
      take(await templatesChange(name, { text: own }));
      await show();
    });
</script>

<section class="sheet p-4 lg:col-span-2" aria-labelledby="templates">
  <h2 id="templates" class="mb-2">Message templates</h2>
  <div class="mb-3 flex flex-wrap items-end gap-3">
    <Select
      aria-label="Message"
      class="w-56!"
      placeholder=""
      items={NAMES.map((value) => ({ value, name: value }))}
      bind:value={name}
    />
    <span class="text-sm text-faint">{template?.changed ? 'yours' : 'default'}</span>
  </div>
  <FormField
    label="Template"
    id="template-text"
    hint="A Jinja template; the variable “report” has the data, as in the default template."
    wrong={doing.problem?.at('text')}
  >
    <Textarea id="template-text" rows={10} class="w-full font-mono text-sm" bind:value={text} />
  </FormField>
  <div class="flex flex-wrap gap-3">
    <Button size="sm" onclick={() => save(text)}>Save</Button>
    <Button size="sm" color="alternative" onclick={show}>Preview</Button>
    {#if template?.changed}<Button size="sm" color="alternative" onclick={() => save(null)}
        >Restore default</Button
      >{/if}
  </div>
  <ErrorMessage problem={doing.problem} />
  {#if preview}
    <p class="mt-3 mb-2 font-medium">{preview.title}</p>
    {#if name.endsWith('.html')}<iframe
        sandbox=""
        src="/api/v1/messages/template/{name}?{shown}"
        title="Preview"
        class="sheet h-96 w-full"
      ></iframe>{:else}<pre class="sheet overflow-x-auto p-4 text-sm">{preview.text}</pre>{/if}
  {/if}
</section>
