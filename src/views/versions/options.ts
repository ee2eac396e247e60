import { readTexts, writeTexts } from '../../ui/state/addressedTexts.ts';
import type { AddressedOptions } from '../../ui/state/usePageOptions.ts';

/** What is looked at of a service's versions; all of it stands in the address. */
export interface VersionOptions {
  /** The two that are held against each other; '' for the last that came and the one before it. */
  readonly older: string;
  readonly newer: string;
  /** Whether operations that it calls itself are listed too, beside those that it handles. */
  readonly inner: boolean;
  /** Operations that are marked: they stand first. */
  readonly marked: readonly string[];
}

export const ADDRESSED: AddressedOptions<VersionOptions> = {
  names: ['older', 'newer', 'inner', 'marked'],
  read: (parameters) => ({
    older: parameters.get('older') ?? '',
    newer: parameters.get('newer') ?? '',
    inner: parameters.get('inner') === 'yes',
    marked: readTexts(parameters.get('marked'), '|'),
  }),
  write: ({ older, newer, inner, marked }) => ({
    older: older || undefined,
    newer: newer || undefined,
    inner: inner ? 'yes' : undefined,
    marked: writeTexts(marked, '|'),
  }),
};
