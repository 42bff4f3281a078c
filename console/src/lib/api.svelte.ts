// Calls to the service, and who is signed in.
import type { Identity } from './types';

const PREFIX = '/api/v1';

export class Problem extends Error {
  constructor(
    public status: number,
    title: string,
    public wayOut = '',
    public field: string | null = null,
    public errors: { field: string; message: string }[] = [],
  ) {
    super(title);
  }

  /** What is wrong at a field, if anything is. */
  at(field: string): string {
    const found = this.errors.find((e) => e.field === field || e.field.startsWith(field + '.'));
    if (found) return found.message;
    return this.field === field ? `${this.message} ${this.wayOut}`.trim() : '';
  }
}

class Door {
  who = $state<Identity | null>(null);
  known = $state(false);

  async look(): Promise<void> {
    try {
      this.who = await call<Identity>('GET', '/session');
    } catch {
      this.who = null;
    }
    this.known = true;
  }
}
export const door = new Door();

export async function call<T = void>(method: string, path: string, body?: unknown): Promise<T> {
  const headers: Record<string, string> = {};
  if (body !== undefined) headers['Content-Type'] = 'application/json';
  if (method !== 'GET' && door.who) headers['X-CSRF-Token'] = door.who.csrf;
  let answer: Response;
  try {
    answer = await fetch(PREFIX + path, {
      method,
      headers,
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  } catch {
    throw new Problem(
      0,
      'The service does not answer.',
      'Nothing you typed is lost; try again in a moment.',
    );
  }
  if (answer.status === 401 && path !== '/session') door.who = null;
  if (!answer.ok) {
    const p = await answer
      .json()
      .catch(() => ({ title: `The service answered ${answer.status}.` }));
    throw new Problem(answer.status, p.title, p.way_out, p.field, p.errors ?? []);
  }
  return answer.status === 204 ? (undefined as T) : ((await answer.json()) as T);
}

/** A query string of what is set. */
export function query(values: Record<string, string | number | null | undefined>): string {
  const q = new URLSearchParams();
  for (const [key, value] of Object.entries(values))
    if (value !== '' && value != null) q.set(key, String(value));
  const text = q.toString();
  return text ? `?${text}` : '';
}
