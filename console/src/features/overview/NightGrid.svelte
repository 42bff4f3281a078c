<script lang="ts">
  // The last fourteen nights of each subject.
  import type { SubjectNights } from '../../lib/types';
  import { ENDED, OUTCOMES } from '../../lib/outcomes';
  import { TONES } from '../../lib/words';
  let { nights }: { nights: SubjectNights[] } = $props();
  const word = (outcome: string) => OUTCOMES[outcome]?.word ?? 'nothing ran';
  const tone = (outcome: string) => TONES[OUTCOMES[outcome]?.tone ?? 'plain'];
</script>

<section aria-labelledby="nights">
  <h2 id="nights" class="mb-2">The last fourteen nights</h2>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="sheet overflow-x-auto" tabindex="0" role="region" aria-label="Nights by subject">
    {#if nights.length}
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col">Subject</th>
            {#each nights[0].nights as night (night.day)}
              <th scope="col" class="px-0.5! text-center!" title={night.day}>
                {night.day.slice(8)}
              </th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each nights as row (row.subject_kind + row.subject)}
            <tr>
              <td><a class="link" href="#/bundles?subject={row.subject}">{row.subject}</a></td>
              {#each row.nights as night (night.day)}
                <td
                  class="px-0.5! text-center {tone(night.outcome)}"
                  title="{night.day}: {word(night.outcome)}"
                >
                  <span aria-hidden="true">{OUTCOMES[night.outcome]?.mark ?? '·'}</span>
                  <span class="sr-only">{word(night.outcome)}</span>
                </td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
    {:else}
      <p class="p-4 text-faint">
        No runs yet. <a class="link" href="#/jobs">Start a job</a> and watch it.
      </p>
    {/if}
  </div>
  <p class="mt-1 text-xs text-faint">
    {#each ENDED as outcome (outcome)}
      {@const { mark, word } = OUTCOMES[outcome]}
      <span class="whitespace-nowrap">{mark} {word}</span> &ensp;
    {/each}· nothing ran (days in UTC)
  </p>
</section>
