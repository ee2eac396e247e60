import { readMoment } from '../../ui/state/addressedTexts.ts';
import type { AddressedOptions } from '../../ui/state/usePageOptions.ts';

/** Which moment of a host, or of all, is looked at. */
export interface HostOptions {
  /** Epoch milliseconds; undefined for the worst. */
  readonly at: number | undefined;
  readonly find: string;
}

export const HOST_OPTIONS: AddressedOptions<HostOptions> = {
  names: ['at', 'find'],
  read: (parameters) => ({ at: readMoment(parameters.get('at')), find: parameters.get('find') ?? '' }),
  write: ({ at, find }) => ({ at: at === undefined ? undefined : String(at), find: find || undefined }),
};
