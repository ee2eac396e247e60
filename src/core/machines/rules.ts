import type { Measure, SubjectKind } from './measures.ts';
import type { UsualRange } from './usualRange.ts';

/** The layers, the lowest last. */
export const LAYERS = ['service', 'process', 'container', 'vm', 'host', 'disk', 'network'] as const;
export type Layer = (typeof LAYERS)[number];

/** What is looked at on a layer, and from where on it is ill. */
export interface Rule {
  readonly id: RuleId;
  readonly layer: Layer;
  readonly kind: SubjectKind;
  /** The same measure in several ways; the first that there is counts. */
  readonly measures: readonly Measure[];
  /** Less than this is well however unusual: METHODS names the marks of capacity. */
  readonly mark: number;
  /** A difference that is none. */
  readonly least: number;
  readonly unit: 'share' | 'cores' | 'seconds' | 'nanoseconds' | 'times';
  /** "CPU", "stolen by the host". */
  readonly words: string;
}

export type RuleId =
  | 'p95'
  | 'run wait'
  | 'killed'
  | 'memory of limit'
  | 'cores not got'
  | 'steal'
  | 'vm cpu'
  | 'vm memory'
  | 'vm pressure memory'
  | 'vm disk wait'
  | 'vm pressure io'
  | 'vm disk full'
  | 'vm retransmits'
  | 'cpu'
  | 'pressure cpu'
  | 'pressure memory'
  | 'pressure io'
  | 'memory'
  | 'disk wait'
  | 'disk busy'
  | 'disk full'
  | 'retransmits';

const share = (it: Omit<Rule, 'unit' | 'least'>): Rule => ({ ...it, unit: 'share', least: 0.02 });

const PRESSURE_MEMORY = share({
  id: 'pressure memory',
  layer: 'host',
  kind: 'host',
  measures: ['pressure memory'],
  mark: 0.1,
  words: 'memory pressure',
});
const DISK_WAIT: Rule = {
  id: 'disk wait',
  layer: 'disk',
  kind: 'host',
  measures: ['disk wait'],
  mark: 0.01,
  least: 0.001,
  unit: 'seconds',
  words: 'disk wait',
};
const PRESSURE_IO = share({
  id: 'pressure io',
  layer: 'disk',
  kind: 'host',
  measures: ['pressure io'],
  mark: 0.1,
  words: 'disk pressure',
});
const DISK_FULL = share({
  id: 'disk full',
  layer: 'disk',
  kind: 'host',
  measures: ['disk full'],
  mark: 0.95,
  words: 'disk full',
});
const RETRANSMITS: Rule = {
  id: 'retransmits',
  layer: 'network',
  kind: 'host',
  measures: ['retransmits'],
  mark: 0.01,
  least: 0.002,
  unit: 'share',
  words: 'sent again',
};

/** Of each layer the one that leads comes first: it is shown when none is ill. */
export const RULES: readonly Rule[] = [
  share({ id: 'run wait', layer: 'process', kind: 'process', measures: [], mark: 0.1, words: 'waits to run' }),
  {
    id: 'cores not got',
    layer: 'container',
    kind: 'container',
    measures: [],
    mark: 0.05,
    least: 0.02,
    unit: 'cores',
    words: 'cores not got',
  },
  {
    id: 'killed',
    layer: 'container',
    kind: 'container',
    measures: [],
    mark: 1,
    least: 0.5,
    unit: 'times',
    words: 'killed or restarted',
  },
  share({ id: 'memory of limit', layer: 'container', kind: 'container', measures: [], mark: 0.95, words: 'of its memory limit' }),
  share({ id: 'steal', layer: 'vm', kind: 'host', measures: ['steal', 'steal of time'], mark: 0.1, words: 'of its CPU stolen' }),
  share({ id: 'vm cpu', layer: 'vm', kind: 'host', measures: ['cpu', 'cpu of time'], mark: 0.9, words: 'CPU' }),
  share({
    id: 'vm memory',
    layer: 'vm',
    kind: 'host',
    measures: ['memory share', 'memory of limit'],
    mark: 0.95,
    words: 'memory',
  }),
  // What a virtual machine says of its own memory, disk and link: its host may say nothing, or have no part in it.
  { ...PRESSURE_MEMORY, id: 'vm pressure memory', layer: 'vm' },
  { ...DISK_WAIT, id: 'vm disk wait', layer: 'vm' },
  { ...PRESSURE_IO, id: 'vm pressure io', layer: 'vm' },
  { ...DISK_FULL, id: 'vm disk full', layer: 'vm' },
  { ...RETRANSMITS, id: 'vm retransmits', layer: 'vm' },
  share({ id: 'cpu', layer: 'host', kind: 'host', measures: ['cpu', 'cpu of time'], mark: 0.9, words: 'CPU' }),
  share({ id: 'pressure cpu', layer: 'host', kind: 'host', measures: ['pressure cpu'], mark: 0.1, words: 'CPU pressure' }),
  share({
    id: 'memory',
    layer: 'host',
    kind: 'host',
    measures: ['memory share', 'memory of limit'],
    mark: 0.95,
    words: 'memory',
  }),
  PRESSURE_MEMORY,
  DISK_WAIT,
  share({ id: 'disk busy', layer: 'disk', kind: 'host', measures: ['disk busy'], mark: 0.9, words: 'disk busy' }),
  PRESSURE_IO,
  DISK_FULL,
  RETRANSMITS,
];

/** How something stands: ill is beyond the usual range and beyond the mark; unknown without values or without a reference. */
export type Standing = 'calm' | 'ill' | 'unknown';

/** @param value NaN without one */
export function standingOf(value: number, usual: UsualRange | undefined, mark: number): Standing {
  if (Number.isNaN(value)) return 'unknown';
  // What is below the mark is well whatever is usual.
  if (value < mark) return 'calm';
  if (!usual) return 'unknown';
  return value > usual.high ? 'ill' : 'calm';
}
