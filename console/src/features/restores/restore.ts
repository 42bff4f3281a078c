// Restores in words.
import type { RelocationProposal, Restore } from '../../lib/types';
import { count, size } from '../../lib/words';

/** Where a restore brings things back to. */
export function whereOf(row: Restore): string {
  const moves = row.relocation;
  const place = moves
    ? `${moves.account}: ${moves.to_folder || 'its home'}`
    : row.in_place
      ? 'in place'
      : row.target;
  if (row.kind === 'plan') return `${place} (plan)`;
  if (row.kind === 'undo') return `undo of restore ${row.of_restore}`;
  if (row.kind === 'drop') return `drop of restore ${row.of_restore}`;
  if (row.kind === 'drill') return 'a scratch place (drill)';
  return place;
}

const WORDS = [
  ['created', 'created'],
  ['replaced', 'replaced'],
  ['removed', 'removed'],
  ['attributes', 'with other attributes'],
  ['kept', 'kept although different'],
  ['unchanged', 'unchanged'],
] as const;

/** The sums of a plan in one sentence. */
export function planWords(plan: NonNullable<Restore['plan']>): string {
  const counts = WORDS.filter(([key]) => plan[key]).map(
    ([key, word]) => `${plan[key].toLocaleString('en')} ${word}`,
  );
  const written = `${size(plan.write_bytes)} to write, ${size(plan.aside_bytes)} to set aside`;
  const free = plan.free_bytes == null ? '' : `; ${size(plan.free_bytes)} free`;
  return `${counts.join(', ') || 'Nothing'}; ${written}${free}.`;
}

/** What a drill has compared, in one sentence. */
export function drillWords(drill: NonNullable<Restore['drill']>): string {
  const files = `${count(drill.files ?? 0, 'file')} compared, ${size(drill.bytes ?? 0)}`;
  const tables = `${count(drill.tables ?? 0, 'table')}, ${count(drill.rows ?? 0, 'row')}`;
  const databases = `; ${count(drill.databases ?? 0, 'database')} loaded, ${tables}`;
  const page = drill.page ? `; page answered ${drill.page}` : '';
  return `${files}${drill.databases ? databases : ''}${page}.`;
}

/** What a restore to another place is started with: texts without a replacement are left out. */
export function relocated({ relocation, databases, owners }: RelocationProposal) {
  const filled = (map: Record<string, string> = {}) =>
    Object.fromEntries(Object.entries(map).filter(([, text]) => text.trim()));
  const texts = filled(relocation.texts);
  const user_names = filled(relocation.user_names);
  return {
    relocation: { ...relocation, texts, user_names },
    databases: filled(databases),
    owners: filled(owners),
  };
}
