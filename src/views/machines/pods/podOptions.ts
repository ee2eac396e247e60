import type { AddressedOptions } from '../../../ui/state/usePageOptions.ts';

/** How pods are narrowed and grouped, and which object is open; all of it stands in the address. */
export interface PodOptions {
  /** A pattern of trouble; empty for all. */
  readonly pattern: string;
  /** Labels as `name=value`, separated by commas. */
  readonly label: string;
  readonly machine: string;
  readonly find: string;
  /** By which label, or `machine` or `pattern`, rows are grouped; empty for none. */
  readonly by: string;
  /** The id of the object that is open. */
  readonly object: string;
  /** A kind of object that is listed instead of pods; empty for pods. */
  readonly kind: string;
  /** The fields of that kind that are columns, separated by commas; empty for those that its definition names. */
  readonly fields: string;
}

const NAMES = ['pattern', 'label', 'machine', 'find', 'by', 'object', 'kind', 'fields'] as const;

export const POD_OPTIONS: AddressedOptions<PodOptions> = {
  names: NAMES,
  read: (parameters) => Object.fromEntries(NAMES.map((name) => [name, parameters.get(name) ?? ''])) as unknown as PodOptions,
  write: (options) => Object.fromEntries(NAMES.map((name) => [name, options[name] || undefined])),
};
