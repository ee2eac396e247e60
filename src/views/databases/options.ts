import type { Dimension } from '../../core/database/sessionColumns.ts';
import { DIMENSIONS } from '../../core/database/sessionColumns.ts';
import { parseTrail, type TrailStep, writeTrail } from '../../core/database/trail.ts';
import { readTexts, writeTexts } from '../../ui/state/addressedTexts.ts';
import type { AddressedOptions } from '../../ui/state/usePageOptions.ts';

/** What is looked at of a server; all of it stands in the address. */
export interface ServerOptions {
  readonly trail: readonly TrailStep[];
  /** The dimension by which the chosen part is listed. */
  readonly by: Dimension;
  /** The moment whose sessions are listed, epoch milliseconds; undefined for the one with most blocked. */
  readonly at: number | undefined;
}

export const SERVER_OPTIONS: AddressedOptions<ServerOptions> = {
  names: ['trail', 'by', 'at'],
  read: (parameters) => {
    const by = parameters.get('by') as Dimension;
    const at = Date.parse(parameters.get('at') ?? '');
    return {
      trail: parseTrail(parameters.get('trail') ?? '') ?? [],
      by: DIMENSIONS.includes(by) ? by : 'statement',
      at: Number.isNaN(at) ? undefined : at,
    };
  },
  write: ({ trail, by, at }) => ({
    trail: trail.length > 0 ? writeTrail(trail) : undefined,
    by: by === 'statement' ? undefined : by,
    at: at === undefined ? undefined : new Date(at).toISOString(),
  }),
};

/** What is looked at of all servers. */
export interface ListOptions {
  /** The server that stands beside; empty for the worst. */
  readonly server: string;
  readonly hidden: readonly string[];
}

export const LIST_OPTIONS: AddressedOptions<ListOptions> = {
  names: ['server', 'hide'],
  read: (parameters) => ({
    server: parameters.get('server') ?? '',
    hidden: readTexts(parameters.get('hide'), '|'),
  }),
  write: ({ server, hidden }) => ({
    server: server || undefined,
    hide: writeTexts(hidden, '|'),
  }),
};
