<script lang="ts">
  import { OUTCOMES } from '../lib/outcomes';
  let { outcome = null, state = 'ended' }: { outcome?: string | null; state?: string } = $props();
  const shown = $derived(
    OUTCOMES[state === 'ended' || !state ? (outcome ?? 'queued') : state] ?? OUTCOMES.queued,
  );
  const tones: Record<string, string> = {
    good: 'text-moss',
    look: 'text-amber-ink',
    broken: 'text-brick font-semibold',
    live: 'text-primary-700 dark:text-primary-300',
    plain: 'text-faint',
  };
</script>

<span class="whitespace-nowrap {tones[shown.tone]}"
  ><span aria-hidden="true">{shown.mark}</span> {shown.word}</span
>
