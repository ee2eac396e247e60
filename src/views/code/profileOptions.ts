import type { AddressedOptions } from '../../ui/state/usePageOptions.ts';

/** Which profile is looked at, and how; all of it stands in the address. */
export interface ProfileOptions {
  /** Empty for the one whose cost grew most. */
  readonly service: string;
  /** What was measured, with its unit. */
  readonly type: string;
  readonly version: string;
  /** The version that is held against; empty for the window before. */
  readonly against: string;
  readonly instance: string;
  readonly operation: string;
  /** One span: `trace/span`. */
  readonly span: string;
  readonly direction: 'down' | 'up';
  readonly by: 'function' | 'line' | 'package';
  /** The function that is chosen, as `name|file`. */
  readonly function: string;
  /** What is looked for in the names of functions. */
  readonly find: string;
}

export const CPU = 'cpu nanoseconds';

export const PROFILE_OPTIONS: AddressedOptions<ProfileOptions> = {
  names: ['service', 'type', 'version', 'against', 'instance', 'operation', 'span', 'direction', 'by', 'function', 'find'],
  read: (parameters) => {
    const text = (name: string) => parameters.get(name) ?? '';
    const by = text('by');
    return {
      service: text('service'),
      type: text('type') || CPU,
      version: text('version'),
      against: text('against'),
      instance: text('instance'),
      operation: text('operation'),
      span: text('span'),
      direction: text('direction') === 'up' ? 'up' : 'down',
      by: by === 'line' || by === 'package' ? by : 'function',
      function: text('function'),
      find: text('find'),
    };
  },
  write: ({ type, direction, by, ...texts }) => ({
    ...Object.fromEntries(Object.entries(texts).map(([name, value]) => [name, value || undefined])),
    type: type === CPU ? undefined : type,
    direction: direction === 'down' ? undefined : direction,
    by: by === 'function' ? undefined : by,
  }),
};
