// A list that sorts, filters and pages on the server, with its state in the address.
import { untrack } from 'svelte';
import { push, router } from 'svelte-spa-router';
import { Problem, queryString } from './api.svelte';
import { asProblem } from './loader.svelte';
import type { Page } from './types';

const PAGE = 50;
const MOST = 500;
/** The query of any list; each page knows which filters its own has. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any
type AnyQuery = any;

export class Listing<T> {
  items = $state<T[]>([]);
  total = $state(0);
  next = $state<string | null>(null);
  problem = $state<Problem | null>(null);
  loaded = $state(false);
  #asked = 0;

  constructor(
    private ask: (query: AnyQuery) => Promise<Page<T>>,
    private fixed: () => Record<string, string> = () => ({}),
  ) {}

  /** The filters and the sort, as they stand in the address. */
  get filters(): Record<string, string> {
    return Object.fromEntries(new URLSearchParams(router.querystring ?? ''));
  }

  set(name: string, value: string): void {
    const values = { ...this.filters, [name]: value };
    push((router.location ?? '/') + queryString(values));
  }

  sortBy(column: string): void {
    const now = this.filters.sort;
    this.set('sort', now === column ? `-${column}` : now === `-${column}` ? '' : column);
  }

  async load(): Promise<void> {
    await this.#ask(null);
  }

  async more(): Promise<void> {
    await this.#ask(this.next);
  }

  async #ask(cursor: string | null): Promise<void> {
    const mine = ++this.#asked;
    try {
      // As many as are shown, so that a refresh never shortens what somebody looks at.
      // An effect that loads must not run again because of what it has loaded.
      const shown = untrack(() => this.items.length);
      const limit = cursor ? PAGE : Math.min(MOST, Math.max(PAGE, shown));
      const page = await this.ask({ ...this.filters, ...this.fixed(), cursor, limit });
      if (mine !== this.#asked) return;
      this.items = cursor ? [...this.items, ...page.items] : page.items;
      this.total = page.total;
      this.next = page.next ?? null;
      this.problem = null;
    } catch (error) {
      if (mine === this.#asked) this.problem = asProblem(error);
    }
    this.loaded = true;
  }
}
