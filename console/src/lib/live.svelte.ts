// What happens in the service, as it happens. The browser reconnects by itself.

/** What an event carries; what it is depends on the kind of event. */
export type Heard = Record<string, unknown>;
type Listener = (kind: string, data: Heard) => void;

class Live {
  connected = $state(true);
  #source: EventSource | null = null;
  #listeners = new Set<Listener>();

  open(): void {
    if (this.#source) return;
    const source = new EventSource('/api/v1/live');
    this.#source = source;
    source.onopen = () => (this.connected = true);
    source.onerror = () => (this.connected = false);
    for (const kind of [
      'hello',
      'reset',
      'run',
      'task',
      'log',
      'restore',
      'maintenance',
      'changed',
    ])
      source.addEventListener(kind, (event) => {
        this.connected = true;
        const data = JSON.parse((event as MessageEvent).data) as Heard;
        for (const listener of this.#listeners) listener(kind, data);
      });
  }

  close(): void {
    this.#source?.close();
    this.#source = null;
  }

  /** Listen until the answer is called. */
  on(listener: Listener): () => void {
    this.#listeners.add(listener);
    return () => this.#listeners.delete(listener);
  }

  /** Call `again`, at most every `pause` ms, when lists of these kinds may have changed. */
  refresh(kinds: string[], again: () => void, pause = 600): () => void {
    let timer: ReturnType<typeof setTimeout> | undefined;
    const stop = this.on((kind, data) => {
      const hit =
        kind === 'reset' ||
        kinds.includes(kind) ||
        (kind === 'changed' && kinds.includes(String(data.what)));
      if (hit && !timer)
        timer = setTimeout(() => {
          timer = undefined;
          again();
        }, pause);
    });
    return () => {
      clearTimeout(timer);
      stop();
    };
  }
}
export const live = new Live();
