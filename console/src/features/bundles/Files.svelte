<script lang="ts">
  // Files in the bundles of all accounts and sites.
  import { router } from 'svelte-spa-router';
  import PageHead from '../../ui/PageHead.svelte';
  import FileVersionsPanel from './FileVersionsPanel.svelte';
  const q = $derived(new URLSearchParams(router.querystring ?? '').get('q') ?? '');
</script>

<PageHead title="Files in bundles" />
{#key q}<FileVersionsPanel subject="" start={q} />{/key}
