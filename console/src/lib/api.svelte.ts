// Calls to the service, and who is signed in.
import type { components } from './openapi';

const PREFIX = '/api/v1';
type Identity = components['schemas']['Identity'];

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

class Session {
  who = $state<Identity | null>(null);
  known = $state(false);

  /** Ask who is signed in; nobody, where the answer is a refusal. */
  async look(): Promise<void> {
    this.who = await call<Identity>('GET', '/session').catch(() => null);
    this.known = true;
  }
}
export const session = new Session();

/** A call; anything but success is thrown as a `Problem`. */
export async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const headers: Record<string, string> = {};
  if (body !== undefined) headers['Content-Type'] = 'application/json';
  if (method !== 'GET' && session.who) headers['X-CSRF-Token'] = session.who.csrf;
  let answer: Response;
  try {
    const text = body === undefined ? undefined : JSON.stringify(body);
    answer = await fetch(PREFIX + path, { method, headers, body: text });
  } catch {
    throw new Problem(
      0,
      'The service does not answer.',
      'Nothing you typed is lost; try again in a moment.',
    );
  }
  if (answer.status === 401 && path !== '/session') session.who = null;
  if (!answer.ok) {
    const p = await answer
      .json()
      .catch(() => ({ title: `The service answered ${answer.status}.` }));
    throw new Problem(answer.status, p.title, p.hint, p.field, p.errors ?? []);
  }
  return answer.status === 204 ? (undefined as T) : ((await answer.json()) as T);
}

/** A value as part of a path. */
export const part = (value: string | number): string => encodeURIComponent(value);

/** A query string of what is set. */
export function queryString(values: object | undefined): string {
  const q = new URLSearchParams();
  for (const [key, value] of Object.entries(values ?? {})) {
    for (const one of Array.isArray(value) ? value : [value])
      if (one !== '' && one != null) q.append(key, String(one));
  }
  const text = q.toString();
  return text ? `?${text}` : '';
}
