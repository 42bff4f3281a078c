<script lang="ts">
  import type { TryResult } from '../lib/types';
  type Step = TryResult['steps'][number];
  let { tried }: { tried: TryResult } = $props();

  // A step that went well and has a way out is a warning.
  function look(step: Step) {
    if (!step.ok) return { mark: '■', word: 'failed:', line: 'text-brick', tone: '' };
    return step.hint
      ? { mark: '▲', word: 'missing:', line: 'text-amber-ink', tone: '' }
      : { mark: '●', word: 'good:', line: '', tone: 'text-moss' };
  }
</script>

<ol class="space-y-0.5 text-sm" aria-live="polite">
  {#each tried.steps as step, n (n)}
    {@const { mark, word, line, tone } = look(step)}
    <li class={line}>
      <span aria-hidden="true" class={tone}>{mark}</span>
      <span class="sr-only">{word}</span>
      <span class="font-semibold">{step.name}:</span>
      {step.text}
      {step.hint}
      {#if step.seconds}<span class="text-faint tabular-nums"
          >{Math.max(1, Math.round(step.seconds * 1000))} ms</span
        >{/if}
    </li>
  {/each}
</ol>
