<script lang="ts">
  import type { TryResult } from '../lib/types';
  let { tried }: { tried: TryResult } = $props();
</script>

<ol class="space-y-0.5 text-sm" aria-live="polite">
  {#each tried.steps as step, n (n)}
    <li class={step.ok ? '' : 'text-brick'}>
      <span aria-hidden="true" class={step.ok ? 'text-moss' : ''}>{step.ok ? '●' : '■'}</span>
      <span class="sr-only">{step.ok ? 'good:' : 'failed:'}</span>
      <span class="font-semibold">{step.name}:</span>
      {step.text}
      {step.way_out}
      {#if step.seconds}<span class="text-faint tabular-nums"
          >{Math.max(1, Math.round(step.seconds * 1000))} ms</span
        >{/if}
    </li>
  {/each}
</ol>
