<script lang="ts">
  import HostList from '../hosts/HostList.svelte';
  import KeyList from './KeyList.svelte';
  import WorkerList from './WorkerList.svelte';
  import MailServerForm from '../reports/MailServerForm.svelte';
  import ChannelList from '../reports/ChannelList.svelte';
  import TemplateEditor from '../reports/TemplateEditor.svelte';
  import WatchForm from '../reports/WatchForm.svelte';
  import TokenList from '../people/TokenList.svelte';
</script>

<h1 class="mb-3">Settings</h1>
<div class="grid grid-cols-1 items-start gap-5 lg:grid-cols-2">
  <HostList /><MailServerForm /><WatchForm /><ChannelList /><TokenList /><KeyList />
  <WorkerList /><TemplateEditor />
</div>
