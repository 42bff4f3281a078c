<script lang="ts">
  // What may be done with a host's form.
  import { Button } from 'flowbite-svelte';
  let {
    busy,
    usable,
    tryOut,
    propose,
  }: { busy: boolean; usable: boolean; tryOut: () => void; propose: () => void } = $props();
</script>

<div class="flex flex-wrap gap-3">
  <Button type="submit" disabled={busy || !usable}>{busy ? 'Trying …' : 'Try and save'}</Button>
  <Button color="alternative" onclick={tryOut} disabled={busy}>Test</Button>
  <Button color="alternative" onclick={propose} disabled={busy || !usable}>Propose rules</Button>
  <Button color="alternative" href="#/accounts">Cancel</Button>
</div>
