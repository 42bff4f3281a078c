// Something a person starts: what goes wrong with it is kept, to be shown beside it.
import type { Problem } from './api.svelte';
import { asProblem } from './loader.svelte';

export class Action {
  problem = $state<Problem | null>(null);
  busy = $state(false);

  /** Do it; the result says whether it went well. */
  async run(work: () => Promise<unknown>): Promise<boolean> {
    this.busy = true;
    this.problem = null;
    try {
      await work();
    } catch (error) {
      this.problem = asProblem(error);
    }
    this.busy = false;
    return this.problem === null;
  }
}

/** An action of a component. */
export const useAction = (): Action => new Action();
