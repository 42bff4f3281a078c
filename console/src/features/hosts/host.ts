// A host, as a form to send.
import { newHost } from '../../lib/defaults';
import type { Host, HostInput } from '../../lib/types';

/** A host as it is shown, as a form to send. */
export const hostForm = (shown: Host): HostInput =>
  Object.fromEntries(
    [...Object.keys(newHost()), 'secrets'].map((key) => [key, shown[key as keyof Host] ?? {}]),
  ) as unknown as HostInput;
