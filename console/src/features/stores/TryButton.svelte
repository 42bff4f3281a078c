<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import type { TryResult } from '../../lib/types';
  interface Props {
    name: string;
    tried?: TryResult | 'busy';
    onclick: () => void;
  }
  let { name, tried, onclick }: Props = $props();
</script>

{#if tried === 'busy'}<span class="text-faint">testing …</span>{:else}
  <Button size="xs" color="alternative" {onclick} aria-label="Try {name}">Try</Button>
  {#if tried}<div class="mt-1 text-sm {tried.ok ? 'text-moss' : 'text-brick'}">
      {tried.ok ? '● works' : '■ fails'}
    </div>{/if}
{/if}
