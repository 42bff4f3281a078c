<script lang="ts">
  // Webhooks that reports go to: tried with a button that shows the answer.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Input, Select, Textarea } from 'flowbite-svelte';
  import { channelsList, channelsRemove, channelsSave, channelsTry } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import type { Channel, ChannelAnswer } from '../../lib/types';
  import ConfirmDialog from '../../ui/ConfirmDialog.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/FormField.svelte';
  const list = new Loader(channelsList);
  list.load();
  const FORMS = [
    { value: 'message', name: 'the whole message, as signed JSON' },
    { value: 'text', name: 'one line under “text”' },
    { value: 'content', name: 'one line under “content”' },
    { value: 'template', name: 'what a template makes of it' },
  ] as const;
  const fresh = () => ({
    name: '',
    url: '',
    secret: '',
    form: 'message' as Channel['form'],
    template: '',
  });
  let channel = $state(fresh());
  let answer = $state<{ name: string; given: ChannelAnswer } | null>(null);
  let removing = $state('');
  const doing = useAction();
  async function act(call: () => Promise<unknown>) {
    await doing.run(async () => {
      await call();
      await list.load();
    });
  }
  const save = (event: Event) => {
    event.preventDefault();
    act(async () => {
      const { secret, form, ...rest } = $state.snapshot(channel);
      const kind = form as (typeof FORMS)[number]['value'];
      await channelsSave({ ...rest, form: kind, secret: secret || null });
      channel = fresh();
    });
  };
  const tryOut = (name: string) =>
    act(async () => (answer = { name, given: await channelsTry(name) }));
</script>

<section class="sheet p-4" aria-labelledby="channels">
  <h2 id="channels" class="mb-2">Channels</h2>
  <p class="mb-2 text-sm text-faint">
    Webhooks that receive reports and alerts. One of them can be the fallback if the mail server is
    down.
  </p>
  {#each list.value?.items ?? [] as row (row.name)}
    <div class="mb-2 flex flex-wrap items-center gap-3">
      <span class="font-medium">{row.name}</span>
      <span class="mr-auto text-sm text-faint"
        >{row.host}, {FORMS.find((form) => form.value === row.form)?.name}{row.jobs?.length
          ? `; for ${row.jobs.join(', ')}`
          : ''}</span
      >
      <Button size="xs" color="alternative" onclick={() => tryOut(row.name)}
        >Send a test to {row.name}</Button
      >
      <Button
        size="xs"
        color="alternative"
        aria-label="Remove {row.name}"
        onclick={() => (removing = row.name)}>Remove</Button
      >
    </div>
    {#if answer?.name === row.name}
      <p class={['mb-2 text-sm', answer.given.ok ? 'text-moss' : 'text-brick']} role="status">
        {answer.given.ok ? '●' : '■'}
        {answer.given.status ?? 'no answer'} in {answer.given.seconds.toFixed(2)} s.
        {answer.given.error}
        <span class="block wrap-anywhere text-faint">{answer.given.body}</span>
      </p>
    {/if}
  {:else}<p class="mb-2 text-faint">None.</p>{/each}
  <form class="mt-3 grid gap-x-4 border-t border-rule pt-3 sm:grid-cols-2" onsubmit={save}>
    <FormField label="Name" id="channel-name" wrong={doing.problem?.at('name')}>
      <Input id="channel-name" required bind:value={channel.name} />
    </FormField>
    <FormField
      label="Address"
      id="channel-url"
      hint="Stored encrypted; only its host name is shown."
      wrong={doing.problem?.at('url')}
    >
      <Input id="channel-url" required autocomplete="off" bind:value={channel.url} />
    </FormField>
    <FormField label="Payload" id="channel-form">
      <Select id="channel-form" placeholder="" items={[...FORMS]} bind:value={channel.form} />
    </FormField>
    <FormField label="Signing secret" id="channel-secret" wrong={doing.problem?.at('secret')}>
      <Input id="channel-secret" type="password" autocomplete="off" bind:value={channel.secret} />
    </FormField>
    {#if channel.form === 'template'}
      <div class="sm:col-span-2">
        <FormField
          label="Template"
          id="channel-template"
          hint={'It must make JSON, as in {"text": {{ message.title | tojson }}}.'}
          wrong={doing.problem?.at('template')}
        >
          <Textarea
            id="channel-template"
            rows={3}
            class="w-full font-mono text-sm"
            bind:value={channel.template}
          />
        </FormField>
      </div>
    {/if}
    <div>
      <Button type="submit" size="sm" disabled={!channel.name || !channel.url}>Save</Button>
    </div>
  </form>
  <ErrorMessage problem={doing.problem ?? list.problem} />
</section>
<ConfirmDialog
  bind:open={() => !!removing, (value) => (removing = value ? removing : '')}
  title="Remove the channel"
  name={removing}
  what="Nothing is sent to it any more."
  action={async () => {
    await channelsRemove(removing);
    await list.load();
  }}
/>
