<script lang="ts">
  // The secret address of the feed for calendar programs.
  import { Button } from 'flowbite-svelte';
  import { calendarFeed, calendarFeedMake, calendarFeedRemove } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import { exact } from '../../lib/words';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  const feed = new Loader(calendarFeed);
  feed.load();
  let url = $state('');
  async function make() {
    url = (await calendarFeedMake()).url ?? '';
    await feed.load();
  }
  async function remove() {
    await calendarFeedRemove();
    url = '';
    await feed.load();
  }
</script>

<section class="sheet p-4" aria-labelledby="feed">
  <h2 id="feed" class="mb-2">For calendar programs</h2>
  <p class="mb-3 text-sm text-faint">
    An iCalendar feed of the next four weeks. Anyone with its address can see what starts when.
  </p>
  {#if url}
    <p class="mb-3 rounded bg-amber-soft p-3">
      Shown only once: <code class="wrap-anywhere select-all">{url}</code>
    </p>
  {:else if feed.value?.made}
    <p class="mb-3">Created {exact(feed.value.made)}.</p>
  {/if}
  <div class="flex gap-3">
    <Button size="sm" color="alternative" onclick={make}
      >{feed.value?.made ? 'Replace its address' : 'Make an address'}</Button
    >
    {#if feed.value?.made}<Button size="sm" color="alternative" onclick={remove}>Turn off</Button
      >{/if}
  </div>
  <ErrorMessage problem={feed.problem} />
</section>
