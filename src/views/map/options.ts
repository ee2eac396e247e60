import { DIRECTIONS, type Direction } from '../../core/maps/mapLayout.ts';
import type { AddressedOptions } from '../../ui/state/usePageOptions.ts';

/** How the map is drawn; all of it stands in the address. */
export interface MapOptions {
  readonly level: 'services' | 'operations';
  /** Which requests of the lit window: all, against before; or the slow or failed ones, against the rest. */
  readonly of: 'all' | 'slow' | 'failed';
  readonly clientErrors: 'shown' | 'hidden';
  readonly group: 'none' | 'namespace';
  /** Groups that are drawn with their members. */
  readonly open: readonly string[];
  /** Only what is within so many steps of a node. */
  readonly around: string;
  readonly up: number;
  readonly down: number;
  /** Edges with less than this part of the busiest one's calls are left out. */
  readonly least: number;
  readonly changed: boolean;
  readonly as: 'picture' | 'table';
  /** Where calls lead in the picture. */
  readonly direction: Direction;
  /** The node that the panel is about. */
  readonly node: string;
  /** One request that is shown on the map. */
  readonly trace: string;
}

export const USUAL_OPTIONS: MapOptions = {
  level: 'services',
  of: 'all',
  clientErrors: 'shown',
  group: 'none',
  open: [],
  around: '',
  up: 9,
  down: 9,
  least: 0,
  changed: false,
  as: 'picture',
  direction: 'right',
  node: '',
  trace: '',
};

/** Steps around a node that mean "all". */
export const ALL_STEPS = 9;
export const LEAST_SHARES = [0, 0.001, 0.01, 0.1] as const;

function oneOf<const T extends string>(value: string | null, choices: readonly T[]): T {
  return choices.find((it) => it === value) ?? choices[0];
}

/** Reads the options from an address; what cannot be understood is as usual. */
export function readMapOptions(parameters: URLSearchParams): MapOptions {
  const steps = (name: string) => {
    const value = Number(parameters.get(name) ?? ALL_STEPS);
    return Number.isInteger(value) && value >= 0 && value <= ALL_STEPS ? value : ALL_STEPS;
  };
  const least = Number(parameters.get('least') ?? 0);
  return {
    level: oneOf(parameters.get('level'), ['services', 'operations']),
    of: oneOf(parameters.get('of'), ['all', 'slow', 'failed']),
    clientErrors: oneOf(parameters.get('clientErrors'), ['shown', 'hidden']),
    group: oneOf(parameters.get('group'), ['none', 'namespace']),
    open: (parameters.get('open') ?? '')
      .split(',')
      .filter((it) => it !== '')
      .map(decoded),
    around: parameters.get('around') ?? '',
    up: steps('up'),
    down: steps('down'),
    least: LEAST_SHARES.find((it) => it === least) ?? 0,
    changed: parameters.get('changed') === 'yes',
    as: oneOf(parameters.get('as'), ['picture', 'table']),
    direction: oneOf(parameters.get('direction'), DIRECTIONS),
    node: parameters.get('node') ?? '',
    trace: /^[0-9a-f]{32}$/.test(parameters.get('trace') ?? '') ? parameters.get('trace')! : '',
  };
}

/** The options as parameters of an address, those that are as usual left out. */
export function writeMapOptions(options: MapOptions): Record<string, string> {
  const { open, changed, ...rest } = options;
  const written = Object.entries(rest)
    .filter(([name, value]) => value !== USUAL_OPTIONS[name as keyof MapOptions])
    .map(([name, value]) => [name, String(value)] as const);
  return {
    ...Object.fromEntries(written),
    ...(open.length > 0 ? { open: open.map(encodeURIComponent).join(',') } : {}),
    ...(changed ? { changed: 'yes' } : {}),
  };
}

/** How the options stand in the address. */
export const ADDRESSED: AddressedOptions<MapOptions> = {
  names: Object.keys(USUAL_OPTIONS),
  read: readMapOptions,
  write: writeMapOptions,
};

/** What the server is asked for with these options, beside the scope. */
export function mapQuery({ level, of, clientErrors, group, open }: MapOptions): Record<string, string> {
  return { level, of, clientErrors, group, open: open.map(encodeURIComponent).join(',') };
}

/** A text of an address as it was meant; as it stands when it is broken. */
function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}
