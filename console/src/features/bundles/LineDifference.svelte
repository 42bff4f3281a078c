<script lang="ts">
  // The lines of a small text file that differ from the previous bundle.
  import { bundlesDifference } from '../../lib/calls';
  import { Loader } from '../../lib/loader.svelte';
  import ErrorMessage from '../../ui/ErrorMessage.svelte';
  let { bundle, file, kind }: { bundle: number; file: string; kind: string } = $props();
  const found = new Loader(() =>
    bundlesDifference(bundle, { file, contents: kind as 'files' | 'system' }),
  );
  $effect(() => {
    void file;
    found.load();
  });
  const tone = (line: string) =>
    line.startsWith('+') ? 'text-moss' : line.startsWith('-') ? 'text-brick' : 'text-faint';
</script>

<ErrorMessage problem={found.problem} />
{#if found.value}
  {#if found.value.lines?.length}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div
      class="mt-2 max-h-[50vh] overflow-auto rounded bg-paper p-2 font-mono text-sm"
      tabindex="0"
      role="region"
      aria-label="Differing lines of {file}"
    >
      {#each found.value.lines as line, n (n)}<div
          class="wrap-anywhere whitespace-pre-wrap {tone(line)}"
        >
          {line || ' '}
        </div>{/each}
    </div>
  {:else}<p class="mt-1 text-sm text-faint">{found.value.note || 'No line differs.'}</p>{/if}
{/if}
