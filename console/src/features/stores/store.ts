// What a form holds of a store, besides the settings of its kind.
import type { Store } from '../../lib/types';

export interface StoreForm {
  verify_days: number | null;
  limits: string[];
  stall_timeout: number | null;
  max_concurrent: number | null;
  read_back: boolean;
  reserve: number;
  price_kept: number;
  price_moved: number;
  currency: string;
  recipients: string[];
  copy_from: string;
  copy_timetable: string;
  copy_zone: string;
  copy_move: boolean;
}

/** A new store, before anybody has filled anything in. */
export const newStore = (): StoreForm => ({
  verify_days: 30,
  limits: [],
  stall_timeout: 120,
  max_concurrent: 0,
  read_back: true,
  reserve: 0,
  price_kept: 0,
  price_moved: 0,
  currency: '',
  recipients: [],
  copy_from: '',
  copy_timetable: 'by hand',
  copy_zone: 'UTC',
  copy_move: false,
});

/** What is saved of a store. */
export function ofStore(store: Store): StoreForm {
  const form = newStore();
  for (const key of Object.keys(form) as (keyof StoreForm)[])
    if (store[key] != null) Object.assign(form, { [key]: store[key] });
  return form;
}

/** The form as it is sent. */
export const sent = (form: StoreForm) => ({
  ...form,
  verify_days: form.verify_days ?? 0,
  stall_timeout: form.stall_timeout ?? 120,
  max_concurrent: form.max_concurrent ?? 0,
  price_kept: Number(form.price_kept) || 0,
  price_moved: Number(form.price_moved) || 0,
});
