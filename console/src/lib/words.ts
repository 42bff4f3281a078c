// Sizes, durations and moments in words, as in the service's own.
const UNITS = ['B', 'KiB', 'MiB', 'GiB', 'TiB', 'PiB'];

export function size(count: number): string {
  let value = count,
    unit = 0;
  while (Math.abs(value) >= 1023.5 && unit < UNITS.length - 1) {
    value /= 1024;
    unit++;
  }
  if (unit === 0) return `${Math.round(value)} B`;
  const digits = Math.abs(value) < 10 ? 2 : Math.abs(value) < 100 ? 1 : 0;
  return `${value.toFixed(digits)} ${UNITS[unit]}`;
}

export function duration(seconds: number): string {
  if (seconds < 60) return `${seconds.toFixed(1)} s`;
  const whole = Math.round(seconds);
  const two = (value: number) => String(value).padStart(2, '0');
  if (whole < 3600) return `${Math.floor(whole / 60)} min ${two(whole % 60)} s`;
  return `${Math.floor(whole / 3600)} h ${two(Math.floor((whole % 3600) / 60))} min`;
}

export function took(from: string | null, to: string | null): string {
  return from && to ? duration((Date.parse(to) - Date.parse(from)) / 1000) : '–';
}

/** A moment in a zone, with the zone said. */
export function exact(moment: string, zone = 'UTC'): string {
  const parts = new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
    hour12: false,
    timeZoneName: 'short',
  }).formatToParts(new Date(moment));
  const part = (kind: string) => parts.find((p) => p.type === kind)?.value ?? '';
  const date = `${part('year')}-${part('month')}-${part('day')}`;
  const time = `${part('hour')}:${part('minute')}:${part('second')}`;
  return `${date} ${time} ${part('timeZoneName')}`;
}

export function clock(moment: string, zone = 'UTC'): string {
  return exact(moment, zone).slice(11, 16);
}

export function relative(moment: string, now = Date.now()): string {
  const seconds = (Date.parse(moment) - now) / 1000;
  const format = new Intl.RelativeTimeFormat('en', { numeric: 'auto' });
  for (const [unit, length] of [
    ['day', 86400],
    ['hour', 3600],
    ['minute', 60],
  ] as const)
    if (Math.abs(seconds) >= length) return format.format(Math.round(seconds / length), unit);
  return Math.abs(seconds) < 10 ? 'just now' : format.format(Math.round(seconds), 'second');
}

/** How a bundle differs from the previous one. */
export function changesWords(c: {
  new: number;
  changed: number;
  gone: number;
  grew: number;
}): string {
  if (!(c.new || c.changed || c.gone)) return 'nothing changed';
  const n = (value: number) => value.toLocaleString('en');
  const grew = `${c.grew < 0 ? '−' : '+'}${size(Math.abs(c.grew))}`;
  return `${n(c.new)} new, ${n(c.changed)} changed, ${n(c.gone)} gone, ${grew}`;
}

export function count(n: number, one: string, many = one + 's'): string {
  return `${n.toLocaleString('en')} ${n === 1 ? one : many}`;
}

/** A list with a name added, or removed where it was in it. */
export function toggled<T>(list: T[], name: T): T[] {
  return list.includes(name) ? list.filter((n) => n !== name) : [...list, name];
}

/** How sound something is, as a class for its colour; a word or a mark stands beside it. */
export const TONES: Record<string, string> = {
  good: 'text-moss',
  look: 'text-amber-ink',
  broken: 'text-brick',
  plain: 'text-faint',
  live: '',
};

/** Those of some texts that were typed. */
export function given(texts: Record<string, string>): Record<string, string> {
  return Object.fromEntries(Object.entries(texts).filter(([, text]) => text));
}
