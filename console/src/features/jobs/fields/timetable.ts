// The text of a timetable as a few choices, and back; what no choice says stays as written.

export interface Choices {
  rhythm: string;
  time: string;
  hours: string;
  count: string;
  weekday: string;
  place: string;
  day: string;
  date: string;
}

export const RHYTHMS = [
  { value: 'by hand', name: 'by hand' },
  { value: 'hourly', name: 'every hour' },
  { value: 'every', name: 'every few hours' },
  { value: 'daily', name: 'every day' },
  { value: 'weekdays', name: 'Monday to Friday' },
  { value: 'weekly', name: 'every week' },
  { value: 'days', name: 'every few days' },
  { value: 'weeks', name: 'every few weeks' },
  { value: 'monthly', name: 'every month, by date' },
  { value: 'place', name: 'every month, by weekday' },
  { value: 'once', name: 'once' },
  { value: '', name: 'as written' },
];

const TIME = '([\\d]{1,2}:\\d\\d)';
const FORMS: [RegExp, (found: string[]) => Partial<Choices>][] = [
  [/^by hand$/, () => ({ rhythm: 'by hand' })],
  [/^hourly (?:at )?:(\d\d)$/, (f) => ({ rhythm: 'hourly', time: `00:${f[1]}` })],
  [
    new RegExp(`^every (2|3|4|6|8|12) hours from ${TIME}$`),
    (f) => ({ rhythm: 'every', hours: f[1], time: f[2] }),
  ],
  [new RegExp(`^(daily|weekdays) ${TIME}$`), (f) => ({ rhythm: f[1], time: f[2] })],
  [
    new RegExp(`^weekly (\\w{3}) ${TIME}$`),
    (f) => ({ rhythm: 'weekly', weekday: f[1], time: f[2] }),
  ],
  [
    new RegExp(`^every (\\d+) days ${TIME} from (\\d{4}-\\d\\d-\\d\\d)$`),
    (f) => ({ rhythm: 'days', count: f[1], time: f[2], date: f[3] }),
  ],
  [
    new RegExp(`^every (\\d+) weeks (\\w{3}) ${TIME} from (\\d{4}-\\d\\d-\\d\\d)$`),
    (f) => ({ rhythm: 'weeks', count: f[1], weekday: f[2], time: f[3], date: f[4] }),
  ],
  [new RegExp(`^monthly (\\d+) ${TIME}$`), (f) => ({ rhythm: 'monthly', day: f[1], time: f[2] })],
  [
    new RegExp(`^monthly (first|second|third|fourth|last) (\\w{3}) ${TIME}$`),
    (f) => ({ rhythm: 'place', place: f[1], weekday: f[2], time: f[3] }),
  ],
  [
    new RegExp(`^once (\\d{4}-\\d\\d-\\d\\d) ${TIME}$`),
    (f) => ({ rhythm: 'once', date: f[1], time: f[2] }),
  ],
];

/** What a text comes to; the rhythm is empty where no choice says it. */
export function choices(text: string): Choices {
  const tomorrow = new Date(Date.now() + 86_400_000).toISOString().slice(0, 10);
  const usual = { time: '02:15', hours: '12', count: '2', weekday: 'sun', place: 'last', day: '1' };
  for (const [form, read] of FORMS) {
    const found = form.exec(text.trim());
    if (found) return { ...usual, rhythm: '', date: tomorrow, ...read([...found]) };
  }
  return { ...usual, rhythm: '', date: tomorrow };
}

/** The text that says these choices; empty for “as written”. */
export function written(now: Choices): string {
  const time = now.time.padStart(5, '0');
  switch (now.rhythm) {
    case 'by hand':
      return 'by hand';
    case 'hourly':
      return `hourly at :${time.slice(3)}`;
    case 'every':
      return `every ${now.hours} hours from ${time}`;
    case 'weekly':
      return `weekly ${now.weekday} ${time}`;
    case 'days':
      return `every ${now.count} days ${time} from ${now.date}`;
    case 'weeks':
      return `every ${now.count} weeks ${now.weekday} ${time} from ${now.date}`;
    case 'monthly':
      return `monthly ${now.day} ${time}`;
    case 'place':
      return `monthly ${now.place} ${now.weekday} ${time}`;
    case 'once':
      return `once ${now.date} ${time}`;
  }
  return now.rhythm && `${now.rhythm} ${time}`;
}
