import type { AddressedOptions } from '../../../ui/state/usePageOptions.ts';

/** Which running request is followed; all of it stands in the address. */
export interface RunningOptions {
  /** Its trace; empty for the oldest. */
  readonly request: string;
  /** Whose work on it, where it is not the innermost service's. */
  readonly of: string;
  readonly instance: string;
}

export const RUNNING_OPTIONS: AddressedOptions<RunningOptions> = {
  names: ['request', 'of', 'instance'],
  read: (parameters) => ({
    request: /^[0-9a-f]{32}$/.test(parameters.get('request') ?? '') ? parameters.get('request')! : '',
    of: parameters.get('of') ?? '',
    instance: parameters.get('instance') ?? '',
  }),
  write: ({ request, of, instance }) => ({
    request: request || undefined,
    of: of || undefined,
    instance: instance || undefined,
  }),
};
