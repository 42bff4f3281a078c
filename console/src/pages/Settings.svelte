<script lang="ts">
  import HostList from '../components/HostList.svelte';
  import KeyList from '../components/KeyList.svelte';
  import MailServerForm from '../components/MailServerForm.svelte';
  import ChannelList from '../components/settings/ChannelList.svelte';
  import TemplateEditor from '../components/settings/TemplateEditor.svelte';
  import WatchForm from '../components/settings/WatchForm.svelte';
  import TokenList from '../components/TokenList.svelte';
</script>

<h1 class="mb-3">Settings</h1>
<div class="grid grid-cols-1 items-start gap-5 lg:grid-cols-2">
  <HostList /><MailServerForm /><WatchForm /><ChannelList /><TokenList /><KeyList />
  <TemplateEditor />
</div>
