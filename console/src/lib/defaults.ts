// Generated from openapi.json by generate-calls.mjs. Do not edit.
import type { components } from './openapi';

type Fields<Name extends keyof components['schemas'], Other extends string = never> = Omit<
  Required<components['schemas'][Name]>,
  'secrets' | Other
>;

/** A new store: what a form begins with, without the settings of its kind. */
export const newStore = (): Fields<'StoreInput', 'settings' | 'name'> => ({
  verify_days: 30,
  limits: [],
  stall_timeout: 120,
  max_concurrent: 0,
  read_back: true,
  queue: '',
  append_only: false,
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

/** A new host: this machine, nothing set. */
export const newHost = (): Fields<'HostInput'> => ({
  name: '',
  connection: { kind: 'local' },
  max_concurrent: 0,
  queue: '',
  servers: [],
  mail: {
    alias_map: '',
    mailbox_map: '',
    transport_map: '',
    passwd_file: '',
    home: '',
    dkim: '',
    refresh: [],
  },
  system: [],
  account_system: [],
  system_refresh: [],
  hold_flag: '',
  discovery: {
    homes: [],
    sites: [],
    nginx: [],
    apache: [],
    database_prefix: '',
    by_grants: false,
    sqlite: false,
    mail: false,
    leave_out: [],
    automatic: false,
    forget_after: 0,
  },
});

/** The mail server before anything is set. */
export const newMailServer = (): Fields<'MailServer'> => ({
  address: '',
  port: 587,
  security: 'starttls',
  user: '',
  password: null,
  password_set: false,
  sender: '',
  fallback_channel: '',
  days: 5,
  digest_time: '07:00',
  digest_day: 'mon',
});
