<script lang="ts">
  // What an installation needs until its first bundle, each step ticked when it is done.
  import type { Overview } from '../../lib/types';
  let { overview }: { overview: Overview } = $props();
  const steps = $derived([
    {
      done: overview.hosts > 0,
      text: 'Add a host',
      hint: 'This machine, or one over SSH. It is looked at, and rules for it are proposed.',
      link: '#/hosts/new',
    },
    {
      done: overview.accounts > 0,
      text: 'Take over its accounts',
      hint: 'With their sites, databases and mail domains, found by those rules.',
      link: '#/accounts',
    },
    {
      done: overview.stores.length > 0,
      text: 'Add a store',
      hint: 'A place for the bundles that survives this machine.',
      link: '#/stores/new',
    },
    {
      done: overview.jobs > 0,
      text: 'Make a job',
      hint: 'What goes in, when, where to, and how many copies stay.',
      link: '#/jobs/new',
    },
    {
      done: overview.bundles > 0,
      text: 'Start it',
      hint: 'Once by hand, to see it work.',
      link: '#/jobs',
    },
  ]);
  const next = $derived(steps.findIndex((step) => !step.done));
</script>

<section class="lg:col-span-2" aria-labelledby="first-steps">
  <h2 id="first-steps" class="mb-2">First steps</h2>
  <ol class="sheet divide-y divide-rule">
    {#each steps as step, number (step.text)}
      <li class="flex gap-3 px-4 py-2">
        <span class={step.done ? 'text-moss' : 'text-faint'} aria-hidden="true">
          {step.done ? '✓' : number + 1}
        </span>
        <span>
          {#if step.done}
            <span class="text-faint">{step.text}</span><span class="sr-only">, done</span>
          {:else}
            <a class="link {number === next ? 'font-bold' : ''}" href={step.link}>{step.text}</a>
            <span class="block text-sm text-faint">{step.hint}</span>
          {/if}
        </span>
      </li>
    {/each}
  </ol>
</section>
