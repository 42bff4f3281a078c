// What a form holds of a store, besides the settings of its kind.
import { newStore } from '../../lib/defaults';
import type { Store } from '../../lib/types';

type Fields = ReturnType<typeof newStore>;
type Emptied = 'verify_days' | 'stall_timeout' | 'max_concurrent';
/** A number is null while its field is empty. */
export type StoreForm = Omit<Fields, Emptied> & Record<Emptied, number | null>;

/** What is saved of a store. */
export function ofStore(store: Store): StoreForm {
  const form: StoreForm = newStore();
  for (const key of Object.keys(form) as (keyof StoreForm)[])
    if (store[key] != null) Object.assign(form, { [key]: store[key] });
  return form;
}

/** The form as it is sent: an empty number is its default. */
export function sent(form: StoreForm): Fields {
  const given = Object.entries(form).filter(([, value]) => value !== null && value !== '');
  return { ...newStore(), ...Object.fromEntries(given) };
}
