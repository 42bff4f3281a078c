// A host as a new form begins: this machine, nothing set.
import type { Host, HostInput } from '../../lib/types';

export const blankHost = (): HostInput => ({
  name: '',
  connection: { kind: 'local' },
  max_concurrent: 0,
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
  secrets: {},
});

/** A host as it is shown, as a form to send. */
export const hostForm = (shown: Host): HostInput =>
  Object.fromEntries(
    Object.keys(blankHost()).map((key) => [key, shown[key as keyof Host] ?? {}]),
  ) as unknown as HostInput;
