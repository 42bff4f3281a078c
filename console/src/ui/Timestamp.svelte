<script lang="ts">
  import { exact, relative } from '../lib/words';
  let {
    at,
    zone = 'UTC',
    never = 'never',
  }: { at: string | null | undefined; zone?: string; never?: string } = $props();
  let now = $state(Date.now());
  $effect(() => {
    const timer = setInterval(() => (now = Date.now()), 10_000);
    return () => clearInterval(timer);
  });
</script>

{#if at}<time datetime={at} title={exact(at, zone)} class="whitespace-nowrap"
    >{relative(at, now)}</time
  >{:else}<span class="text-faint">{never}</span>{/if}
