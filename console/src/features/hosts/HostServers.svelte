<script lang="ts">
  // The database servers of a host, one of each engine.
  import { Checkbox } from 'flowbite-svelte';
  import type { Problem } from '../../lib/api.svelte';
  import type { HostInput, KindInfo, Settings } from '../../lib/types';
  import FieldFault from '../../ui/fields/FieldFault.svelte';
  import FormDetails from '../../ui/fields/FormDetails.svelte';
  import KindFields from '../../ui/fields/KindFields.svelte';
  let {
    host = $bindable(),
    engines,
    secrets = $bindable(),
    saved,
    problem,
  }: {
    host: HostInput;
    engines: KindInfo[];
    secrets: Record<string, string>;
    saved: string[];
    problem: Problem | null;
  } = $props();
  const at = (name: string) => host.servers.findIndex((server) => server.kind === name);
  function toggle(name: string) {
    if (at(name) >= 0) host.servers.splice(at(name), 1);
    else host.servers.push({ kind: name } as HostInput['servers'][number]);
  }
</script>

<FormDetails title="Database servers" open={host.servers.length > 0}>
  <FieldFault text={problem?.field === 'servers' ? problem.at('servers') : ''} />
  {#each engines as engine (engine.name)}
    <Checkbox class="mb-2" checked={at(engine.name) >= 0} onchange={() => toggle(engine.name)}>
      {engine.title}
    </Checkbox>
    {#if at(engine.name) >= 0}
      <KindFields
        kind={engine}
        bind:settings={
          () => host.servers[at(engine.name)] as unknown as Settings,
          (value) => (host.servers[at(engine.name)] = value as never)
        }
        bind:secrets
        {saved}
        {problem}
        place="servers.{at(engine.name)}"
        prefix="{engine.name}_"
      />
    {/if}
  {/each}
</FormDetails>
