import { DIMENSION_COLUMNS } from '../sessionColumns.ts';

/*
 * The sampled sessions of one server over a whole hour, added up: a row for each value that load is cut by and each wait class, with how many
 * samples it had; a row for each mixture of them, for who cuts by one after the other; and rows for what else is asked of long stretches.
 * They lie in three parts, so that who asks for little reads little.
 */

/** What the load of all servers is cut by where they stand side by side. */
export const IN_TOTAL = 'program';

/** The parts: totals with minutes and programs; the other values, and who stood in the way; mixtures. */
export const HOUR_PARTS = ['total', 'values', 'mixtures'] as const;
export type HourPart = (typeof HOUR_PARTS)[number];

/** What a row of an hour is. */
export const KINDS = ['moments', 'minute', 'part', 'mixture', 'open', 'root', 'holder', 'trace'] as const;
export type Kind = (typeof KINDS)[number];

export const KIND = 'kind';
/** Milliseconds since the beginning of the hour. */
export const FIRST = 'first';
export const LAST = 'last';
export const COUNT = 'count';
export const INTERVAL = 'interval';
export const IDLE = 'idle';
export const MOST = 'most';
export const MOST_AT = 'mostAt';
export const CORES = 'cores';
export const WAITED = 'waited';
export const OPEN = 'open';
export const SESSION = 'session';
export const WAIT_CLASS = 'class';
export const TRANSACTION = 'transaction';
export const TRACE = 'trace';
/** Of a part: which dimension, its value there, and the wait class by its place. */
export const DIMENSION = 'dimension';
/** Of a minute: which one of the hour; its class is that of a part, or `MOMENTS`, of which the count is how often it was sampled. */
export const MINUTE = 'minute';
export const MOMENTS = 255;
export const VALUE = 'value';
export const CLASS = 'classAt';

export const MOST_CODE = 2 ** 32 - 1;
/** What is waited is kept in hundredths of a second: all sessions together may wait longer than a code holds in milliseconds. */
export const WAITED_UNIT_MS = 10;

/** Rows of one kind in an hour. Of mixtures beyond that, the smallest are told apart by their wait class alone. */
export const MOST_ROWS = {
  /** Of each dimension. */
  values: 2_000,
  mixture: 4_000,
  open: 200,
  root: 100,
  holder: 500,
  trace: 4_000,
};
/** Of each statement one trace in so many is kept, by a hash, so that busy hours have as many more as they should. */
export const TRACES_APART = 8;
/** Mixtures and traces that are held while an hour is added up: a sender may make up any number. */
export const MOST_HELD = 200_000;
/** What stands for values that are not told apart. */
export const OTHER_VALUES = 'other values';

/** What load is cut by, and the columns that hold it. */
export const CUTS = Object.keys(DIMENSION_COLUMNS) as (keyof typeof DIMENSION_COLUMNS)[];
export const MIXED = [WAIT_CLASS, ...CUTS.map((name) => DIMENSION_COLUMNS[name])];
