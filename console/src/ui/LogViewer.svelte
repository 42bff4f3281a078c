<script lang="ts">
  import { Button, Input, Select } from 'flowbite-svelte';
  import { restoresLog, runsLog } from '../lib/calls';
  import { Loader } from '../lib/loader.svelte';
  import ErrorMessage from './ErrorMessage.svelte';
  import { live } from '../lib/live.svelte';
  import type { LogLine } from '../lib/types';
  import { clock, exact } from '../lib/words';
  let {
    owner,
    kind,
    zone = 'UTC',
  }: { owner: number; kind: 'run' | 'restore'; zone?: string } = $props();
  const MOST = 5000;
  const stored = new Loader(readAll);
  let arrived = $state<LogLine[]>([]);
  const lines = $derived(joined(stored.value ?? [], arrived));
  let level = $state('');
  let words = $state('');
  let copied = $state(false);
  const shown = $derived(
    lines.filter(
      (l) =>
        (!level || (level === 'trouble' ? l.level !== 'info' : l.level === level)) &&
        (!words || `${l.subject} ${l.text}`.toLowerCase().includes(words.toLowerCase())),
    ),
  );
  const marks: Record<string, string> = { info: ' ', warning: '▲', error: '■' };

  async function readAll(): Promise<LogLine[]> {
    const ask = kind === 'run' ? runsLog : restoresLog;
    const all: LogLine[] = [];
    let cursor: string | undefined;
    do {
      const page = await ask(owner, { limit: 500, cursor });
      all.push(...page.items);
      cursor = page.next ?? undefined;
    } while (cursor && all.length < MOST);
    return all;
  }
  /** What was stored, and after it what has arrived since. */
  function joined(old: LogLine[], fresh: LogLine[]): LogLine[] {
    const last = old.at(-1)?.id ?? 0;
    return [...old, ...fresh.filter((line) => line.id > last)];
  }
  $effect(() => {
    void owner;
    arrived = [];
    stored.load();
  });
  $effect(() =>
    live.on((what, data) => {
      if (what === 'reset') stored.load();
      if (what === 'log' && data[kind] === owner) arrived = [...arrived, data as LogLine];
    }),
  );
  async function copy() {
    await navigator.clipboard.writeText(
      shown.map((l) => `${exact(l.at, zone)}  ${l.level}  ${l.subject}  ${l.text}`).join('\n'),
    );
    copied = true;
    setTimeout(() => (copied = false), 2000);
  }
</script>

<div class="mb-2 flex flex-wrap items-center gap-2">
  <h2 class="mr-auto">Log</h2>
  <Select
    size="sm"
    class="w-auto!"
    aria-label="Level"
    placeholder=""
    bind:value={level}
    items={[
      { value: '', name: 'All lines' },
      { value: 'trouble', name: 'Warnings and errors' },
      { value: 'error', name: 'Errors' },
    ]}
  />
  <div class="w-48">
    <Input size="sm" aria-label="Text in the log" placeholder="Words" bind:value={words} />
  </div>
  <Button size="xs" color="alternative" onclick={copy}>{copied ? 'Copied' : 'Copy'}</Button>
</div>
<ErrorMessage problem={stored.problem} />
<!-- A log that scrolls must be reachable by keyboard. -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div
  class="sheet max-h-96 overflow-auto p-3 font-mono text-[13px] leading-5"
  tabindex="0"
  role="log"
  aria-label="Log"
>
  {#each shown as line (line.id)}
    <div
      class="grid grid-cols-[4rem_1rem_10rem_1fr] gap-2"
      class:text-brick={line.level === 'error'}
      class:text-amber-ink={line.level === 'warning'}
    >
      <span title={exact(line.at, zone)}>{exact(line.at, zone).slice(11, 19)}</span><span
        ><span aria-hidden="true">{marks[line.level]}</span><span class="sr-only">{line.level}</span
        ></span
      >
      <span class="truncate" title={line.subject}>{line.subject}</span><span class="wrap-anywhere"
        >{line.text}</span
      >
    </div>
  {:else}<span class="text-faint"
      >{lines.length
        ? 'No line matches.'
        : `No line yet (${clock(new Date().toISOString(), zone)}).`}</span
    >{/each}
</div>
