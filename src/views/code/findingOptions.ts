import type { AddressedOptions } from '../../ui/state/usePageOptions.ts';

export interface FindingOptions {
  /** The key of the finding that is looked at; empty for the first. */
  readonly finding: string;
}

export const FINDING_OPTIONS: AddressedOptions<FindingOptions> = {
  names: ['finding'],
  read: (parameters) => ({ finding: parameters.get('finding') ?? '' }),
  write: ({ finding }) => ({ finding: finding || undefined }),
};
