// Something that is asked for again and again: the newest answer counts, errors are shown.
import { Problem } from './api.svelte';

export class Loader<T> {
  value = $state<T | null>(null);
  problem = $state<Problem | null>(null);
  loaded = $state(false);
  busy = $state(false);
  #asked = 0;

  constructor(private ask: () => Promise<T>) {}

  /** Ask; an answer that a newer one has overtaken is dropped. */
  async load(): Promise<void> {
    const mine = ++this.#asked;
    this.busy = true;
    try {
      const value = await this.ask();
      if (mine !== this.#asked) return;
      this.value = value;
      this.problem = null;
    } catch (error) {
      if (mine !== this.#asked) return;
      this.problem = asProblem(error);
    }
    this.busy = false;
    this.loaded = true;
  }
}

/** Whatever was thrown, as something that can be shown. */
export function asProblem(error: unknown): Problem {
  return error instanceof Problem ? error : new Problem(0, String(error));
}
