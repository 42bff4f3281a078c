// The text of a keep rule as numbers, and back.

export const SPANS = ['hourly', 'daily', 'weekly', 'monthly', 'yearly'] as const;
export type Part = 'newest' | 'days' | (typeof SPANS)[number] | 'least';
export type Parts = Record<Part, number>;

const ORDER: Part[] = ['newest', 'days', ...SPANS, 'least'];
const NONE = Object.fromEntries(ORDER.map((part) => [part, 0])) as Parts;

/** The numbers of a rule; null for one that numbers cannot say, such as “forever”. */
export function parts(text: string): Parts | null {
  const found = { ...NONE };
  for (const part of text.split(',').map((row) => row.trim())) {
    const read = /^(?:at (least) )?(\d+)(?: (newest|days?|\w+ly))?$/.exec(part);
    if (!read) return null;
    const name = read[1] ?? (read[3] === 'day' ? 'days' : (read[3] ?? 'newest'));
    if (!(name in found)) return null;
    found[name as Part] = Number(read[2]);
  }
  return found;
}

/** The text of a rule with these numbers. */
export function ruleText(now: Parts): string {
  return ORDER.filter((part) => now[part] > (part === 'least' ? 1 : 0))
    .map((part) => (part === 'least' ? `at least ${now.least}` : `${now[part]} ${part}`))
    .join(', ');
}
