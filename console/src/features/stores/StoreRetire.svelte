<script lang="ts">
  // Retiring copies on an append-only store, with credentials that are not kept.
  import { Button } from 'flowbite-svelte';
  import { useAction } from '../../lib/action.svelte';
  import { storesRetire } from '../../lib/calls';
  import type { KindInfo, Settings, Store } from '../../lib/types';
  import { given } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  import KindFields from '../../ui/fields/KindFields.svelte';
  let { store, kind }: { store: Store; kind: KindInfo } = $props();
  /** What tells one user of a server from another. */
  const WHO = ['user', 'port'];
  const shown = $derived({
    ...kind,
    fields: kind.fields.filter((field) => WHO.includes(field.name)),
  });
  let settings = $state<Settings>({ kind: '' });
  let secrets = $state<Record<string, string>>({});
  const doing = useAction();
  $effect(() => {
    const saved = store.settings as unknown as Settings;
    settings = Object.fromEntries(
      Object.entries(saved).filter(([key]) => key === 'kind' || WHO.includes(key)),
    ) as Settings;
  });
  async function retire(event: Event) {
    event.preventDefault();
    const body = { settings: $state.snapshot(settings), secrets: given(secrets) };
    if (await doing.run(() => storesRetire(store.name, body))) secrets = {};
  }
</script>

<section class="sheet mt-6 p-4" aria-labelledby="retire">
  <h2 id="retire" class="mb-1">Retire copies</h2>
  <p class="mb-3 max-w-prose">
    Removes the copies that no keep rule wants and that are not locked. It needs credentials that
    can remove files there; they are used once, and not kept.
  </p>
  <form onsubmit={retire} class="max-w-xl">
    <KindFields
      kind={shown}
      bind:settings
      bind:secrets
      saved={[]}
      problem={doing.problem}
      place="settings"
    />
    <ErrorMessage problem={doing.problem} />
    <Button type="submit" size="sm" disabled={doing.busy}>Retire</Button>
  </form>
</section>
