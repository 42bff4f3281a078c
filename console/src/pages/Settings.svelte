<script lang="ts">
  import HostSettings from '../parts/HostSettings.svelte';
  import MailSettings from '../parts/MailSettings.svelte';
  import TokenSettings from '../parts/TokenSettings.svelte';
</script>

<h1 class="mb-3">Settings</h1>
<div class="grid grid-cols-1 items-start gap-5 lg:grid-cols-2">
  <HostSettings /><MailSettings /><TokenSettings />
</div>
