<script lang="ts">
  // Channels that reports go to: tried with a button that shows the answer.
  import { useAction } from '../../lib/action.svelte';
  import { Button, Input } from 'flowbite-svelte';
  import {
    channelsList,
    channelsRemove,
    channelsSave,
    channelsTry,
    kindsList,
  } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import type { Channel, ChannelAnswer, Settings } from '../../lib/types';
  import { given } from '../../lib/words';
  import ConfirmDialog from '../../ui/ConfirmDialog.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import KindChoice from '../../ui/fields/KindChoice.svelte';
  import KindFields from '../../ui/fields/KindFields.svelte';
  const list = new Loader(channelsList);
  list.load();
  const kinds = new Loader(kindsList);
  kinds.load();
  let name = $state('');
  let settings = $state<Settings>({ kind: 'webhook' });
  let secrets = $state<Record<string, string>>({});
  const kind = $derived(kinds.value?.channels?.find((k) => k.name === settings.kind));
  const titleOf = (row: Channel) =>
    kinds.value?.channels?.find((k) => k.name === row.settings.kind)?.title ?? row.settings.kind;
  const saved = $derived(
    list.value?.items.find((row) => row.name === name && row.settings.kind === settings.kind)
      ?.secrets_set ?? [],
  );
  const usedBy = (row: Channel) => (row.jobs?.length ? `; for ${row.jobs.join(', ')}` : '');
  function said(given: ChannelAnswer) {
    const status = given.status ?? (given.ok ? 'accepted' : 'no answer');
    return `${given.ok ? '●' : '■'} ${status} in ${given.seconds.toFixed(2)} s.`;
  }
  function clear() {
    name = '';
    settings = { kind: 'webhook' };
    secrets = {};
  }
  function change(row: Channel) {
    name = row.name;
    settings = { ...(row.settings as unknown as Settings) };
    secrets = {};
    document.getElementById('channel-name')?.focus();
  }
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
      await channelsSave({
        name,
        settings: $state.snapshot(settings) as unknown as Channel['settings'],
        secrets: given(secrets),
      });
      clear();
    });
  };
  const tryOut = (name: string) =>
    act(async () => (answer = { name, given: await channelsTry(name) }));
</script>

<section class="sheet p-4" aria-labelledby="channels">
  <h2 id="channels" class="mb-2">Channels</h2>
  <p class="mb-2 text-sm text-faint">
    Webhooks, chats and mail that receive reports and alerts. One of them can be the fallback if the
    mail server is down.
  </p>
  {#each list.value?.items ?? [] as row (row.name)}
    <div class="mb-2 flex flex-wrap items-center gap-3">
      <span class="font-medium">{row.name}</span>
      <span class="mr-auto text-sm text-faint">{titleOf(row)}: {row.where}{usedBy(row)}</span>
      <Button
        size="xs"
        color="alternative"
        aria-label="Send a test to {row.name}"
        onclick={() => tryOut(row.name)}>Test</Button
      >
      <Button
        size="xs"
        color="alternative"
        aria-label="Change {row.name}"
        onclick={() => change(row)}>Change</Button
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
        {said(answer.given)}
        {answer.given.error}
        <span class="block wrap-anywhere text-faint">{answer.given.body}</span>
      </p>
    {/if}
  {:else}<p class="mb-2 text-faint">None.</p>{/each}
  <form class="mt-3 border-t border-rule pt-3" onsubmit={save}>
    <FormField label="Name" id="channel-name" wrong={doing.problem?.at('name')}>
      <Input id="channel-name" required bind:value={name} />
    </FormField>
    <KindChoice
      kinds={kinds.value?.channels ?? []}
      bind:value={() => settings.kind, (chosen) => (settings = { kind: chosen })}
    />
    {#if kind}
      <KindFields
        {kind}
        bind:settings
        bind:secrets
        {saved}
        problem={doing.problem}
        place="settings"
        ids="channel-"
      />
    {/if}
    <div class="flex gap-3">
      <Button type="submit" size="sm" disabled={!name || doing.busy}>Save</Button>
      {#if name}
        <Button size="sm" color="alternative" onclick={clear}>Clear</Button>
      {/if}
    </div>
  </form>
  <ErrorMessage problem={doing.problem ?? list.problem ?? kinds.problem} />
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
