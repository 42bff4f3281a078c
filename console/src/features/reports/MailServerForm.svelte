<script lang="ts">
  import { useAction } from '../../lib/action.svelte';
  import { Button, Input, Select } from 'flowbite-svelte';
  import { channelsList, mailChange, mailShow, mailTry } from '../../lib/calls';
  import { newMailServer } from '../../lib/defaults';
  import { Loader } from '../../lib/loader.svelte';
  import type { MailServer, TryResult } from '../../lib/types';
  import NumberField from '../../ui/fields/NumberField.svelte';
  import FormField from '../../ui/fields/FormField.svelte';
  import StepList from '../../ui/StepList.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let mail = $state<MailServer>(newMailServer());
  const days = [
    { value: 'mon', name: 'Monday' },
    { value: 'tue', name: 'Tuesday' },
    { value: 'wed', name: 'Wednesday' },
    { value: 'thu', name: 'Thursday' },
    { value: 'fri', name: 'Friday' },
    { value: 'sat', name: 'Saturday' },
    { value: 'sun', name: 'Sunday' },
  ];
  const channels = new Loader(channelsList);
  channels.load();
  let password = $state('');
  let to = $state('');
  let tried = $state<TryResult | null>(null);
  const action = useAction();
  let saved = $state(false);
  // Before the settings are there, what somebody types would be replaced by them.
  let ready = $state(false);
  const load = async () => {
    mail = await mailShow();
    ready = true;
  };
  action.run(load);
  async function save(event: Event) {
    event.preventDefault();
    saved = await action.run(async () => {
      await mailChange({ ...$state.snapshot(mail), password: password || null });
      password = '';
      await load();
    });
  }
  async function tryOut() {
    await action.run(async () => {
      tried = await mailTry({ to });
    });
  }
</script>

<section class="sheet p-4">
  <h2 class="mb-2">Mail server for reports</h2>
  {#if ready}
    <form onsubmit={save}>
      <div class="grid gap-x-4 sm:grid-cols-[2fr_1fr_1fr]">
        <FormField label="Address" id="mail-address" wrong={action.problem?.at('address')}
          ><Input id="mail-address" bind:value={mail.address} /></FormField
        >
        <NumberField
          label="Port"
          id="mail-port"
          min={1}
          max={65535}
          bind:value={mail.port}
          wrong={action.problem?.at('port')}
        />
        <FormField label="Security" id="mail-security"
          ><Select
            id="mail-security"
            placeholder=""
            items={[
              { value: 'starttls', name: 'STARTTLS' },
              { value: 'tls', name: 'TLS' },
              { value: 'none', name: 'none' },
            ]}
            bind:value={mail.security}
          /></FormField
        >
      </div>
      <div class="grid gap-x-4 sm:grid-cols-2">
        <FormField label="User" id="mail-user"
          ><Input id="mail-user" autocomplete="off" bind:value={mail.user} /></FormField
        >
        <FormField
          label="Password"
          id="mail-password"
          hint={mail.password_set ? 'Set; leave empty to keep it.' : ''}
          ><Input
            id="mail-password"
            type="password"
            autocomplete="off"
            bind:value={password}
          /></FormField
        >
      </div>
      <FormField label="Sender" id="mail-sender" wrong={action.problem?.at('sender')}
        ><Input
          id="mail-sender"
          bind:value={mail.sender}
          placeholder="fasciculus@sedge-quill.example"
        /></FormField
      >
      <div class="grid gap-x-4 sm:grid-cols-2">
        <FormField
          label="Fallback channel"
          id="fallback-channel"
          hint="Used for messages that could not be delivered for an hour."
          wrong={action.problem?.at('fallback_channel')}
          ><Select
            id="fallback-channel"
            placeholder=""
            items={[
              { value: '', name: 'none' },
              ...(channels.value?.items ?? []).map(({ name }) => ({ value: name, name })),
            ]}
            bind:value={mail.fallback_channel}
          /></FormField
        >
        <NumberField
          label="Retry delivery for (days)"
          id="mail-days"
          min={1}
          max={30}
          bind:value={() => mail.days ?? 5, (value) => (mail.days = value ?? 5)}
          wrong={action.problem?.at('days')}
        />
        <FormField
          label="Send digests at"
          id="digest-time"
          hint="In the time zone of their jobs."
          wrong={action.problem?.at('digest_time')}
          ><Input id="digest-time" type="time" required bind:value={mail.digest_time} /></FormField
        >
        <FormField label="Send weekly digests on" id="digest-day"
          ><Select
            id="digest-day"
            placeholder=""
            items={days}
            bind:value={mail.digest_day}
          /></FormField
        >
      </div>
      <ErrorMessage problem={action.problem} />
      <div class="flex items-center gap-3">
        <Button type="submit" size="sm">Save</Button>{#if saved}<span
            class="text-moss"
            role="status">● Saved.</span
          >{/if}
      </div>
    </form>
  {:else}<ErrorMessage problem={action.problem} />{/if}
  <div class="mt-4 flex items-end gap-3 border-t border-rule pt-3">
    <div class="grow">
      <Input
        aria-label="Address for a test message"
        placeholder="Address for a test message"
        bind:value={to}
      />
    </div>
    <Button size="sm" color="alternative" onclick={tryOut} disabled={!to.includes('@')}
      >Send a test message</Button
    >
  </div>
  {#if tried}<div class="mt-2"><StepList {tried} /></div>{/if}
</section>
