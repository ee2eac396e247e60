import { ColumnWriter } from '../columns/columnWriter.ts';
import {
  type CodeColumn,
  type Codes,
  codesOf,
  hexAt,
  listsOf,
  type Numbers,
  numbersOf,
  type Segment,
} from '../columns/segment.ts';
import { type SampledSecond, type SampledSession, SESSION_STATES, traceOf } from './sampledSecond.ts';

/*
 * Sampled sessions as columns: a row for each moment at which a server was sampled, which has no session, and one for each session that was
 * seen then, which follow it. A segment holds one server, in order of time.
 */

/** Milliseconds since the beginning of the slot. */
const TIME = 'time';
const SESSION = 'session';
const STATE = 'state';
const WAIT_CLASS = 'class';
const EVENT = 'event';
const STATEMENT = 'statement';
const DATABASE = 'database';
const USER = 'user';
const PROGRAM = 'program';
const CLIENT = 'client';
const BACKEND = 'backend';
const BLOCKED_BY = 'blockedBy';
const SINCE = 'since';
const TRANSACTION = 'transaction';
/** Of the moment. */
const INTERVAL = 'interval';
const IDLE = 'idle';
const MOST = 'most';
const CORES = 'cores';
/** The first eight bytes of the trace's id: enough to match those of a window, half the size. */
const TRACE = 'trace';

/** What load can be cut by. The table is that of the statement. */
export const DIMENSIONS = ['statement', 'table', 'event', 'program', 'user', 'database', 'client'] as const;

export type Dimension = (typeof DIMENSIONS)[number];

/** The column that holds a dimension. */
export const DIMENSION_COLUMNS: Readonly<Record<Exclude<Dimension, 'table'>, string>> = {
  statement: STATEMENT,
  event: EVENT,
  program: PROGRAM,
  user: USER,
  database: DATABASE,
  client: CLIENT,
};

/** Writes the seconds of one server into a segment. @param slotMs when the slot begins, epoch milliseconds */
export function sessionSegment(seconds: readonly SampledSecond[], slotMs: number): Segment {
  const writer = new ColumnWriter();
  for (const second of seconds) {
    const time = Number(second.timeNs / 1_000_000n) - slotMs;
    writer.number(TIME, time);
    writer.number(INTERVAL, second.intervalMs);
    writer.number(IDLE, second.idle);
    writer.number(MOST, second.most);
    writer.number(CORES, second.cores);
    writer.endRow();
    for (const it of second.sessions) writeSession(writer, it, time);
  }
  return writer.finish();
}

function writeSession(writer: ColumnWriter, it: SampledSession, time: number): void {
  writer.number(TIME, time);
  writer.text(SESSION, it.session);
  writer.code(STATE, SESSION_STATES.indexOf(it.state) + 1);
  for (const [name, value] of [
    [WAIT_CLASS, it.waitClass],
    [EVENT, it.waitEvent],
    [STATEMENT, it.statementId],
    [DATABASE, it.database],
    [USER, it.user],
    [PROGRAM, it.program],
    [CLIENT, it.client],
    [BACKEND, it.backend],
  ] as const)
    if (value !== '') writer.text(name, value);
  for (const holder of it.blockedBy) writer.addText(BLOCKED_BY, holder);
  if (it.sinceMs !== null) writer.number(SINCE, Math.round(it.sinceMs));
  if (it.transactionMs !== null) writer.number(TRANSACTION, Math.round(it.transactionMs));
  const trace = traceOf(it);
  if (trace) writer.bytes(TRACE, bytesOf(trace.traceId.slice(0, TRACE_PREFIX)));
  writer.endRow();
}

const NO_TRACE = '0'.repeat(16);
/** Hex digits of a trace's id that the columns keep. */
export const TRACE_PREFIX = 16;

function bytesOf(hex: string): Uint8Array {
  return Uint8Array.from({ length: hex.length / 2 }, (_, at) => Number.parseInt(hex.slice(2 * at, 2 * at + 2), 16));
}

/** The columns of a segment, to be read row by row. Row r is a moment when `sessions.values[r]` is 0, else a session of it. */
export interface SessionRows {
  readonly rows: number;
  readonly times: Numbers;
  readonly sessions: CodeColumn;
  readonly states: Codes;
  readonly classes: CodeColumn;
  readonly column: (name: string) => CodeColumn;
  readonly intervals: Numbers;
  /** The first hex digits of the trace that a row names; empty where it names none. */
  readonly traceAt: (row: number) => string;
  /** Whether a row waits for another session. */
  readonly isBlocked: (row: number) => boolean;
  /** Without its trace. */
  readonly session: (row: number) => SampledSession;
  readonly idle: (row: number) => number;
  readonly most: (row: number) => number;
  readonly cores: (row: number) => number;
}

export function sessionRows(segment: Segment): SessionRows {
  const codes = new Map<string, CodeColumn>();
  const column = (name: string) => {
    let found = codes.get(name);
    if (!found) {
      found = codesOf(segment, name);
      codes.set(name, found);
    }
    return found;
  };
  const textAt = (name: string, row: number) => {
    const { values, texts } = column(name);
    return values[row] === 0 ? '' : texts[values[row] - 1];
  };
  const numbers = new Map<string, Numbers>();
  const numberAt = (name: string, row: number) => {
    let values = numbers.get(name);
    if (!values) {
      values = numbersOf(segment, name);
      numbers.set(name, values);
    }
    return Number.isNaN(values[row]) ? null : values[row];
  };
  const states = column(STATE).values;
  const holders = listsOf(segment, BLOCKED_BY);
  return {
    rows: segment.rows,
    times: numbersOf(segment, TIME),
    intervals: numbersOf(segment, INTERVAL),
    sessions: column(SESSION),
    states,
    classes: column(WAIT_CLASS),
    column,
    traceAt: (row) => {
      const found = segment.column(TRACE);
      const hex = found?.type === 'bytes' ? hexAt(found, row) : NO_TRACE;
      return hex === NO_TRACE ? '' : hex;
    },
    isBlocked: (row) => holders.offsets[row + 1] > holders.offsets[row],
    session: (row) => {
      return {
        session: textAt(SESSION, row),
        database: textAt(DATABASE, row),
        user: textAt(USER, row),
        program: textAt(PROGRAM, row),
        client: textAt(CLIENT, row),
        backend: textAt(BACKEND, row),
        state: SESSION_STATES[states[row] - 1] ?? 'disabled',
        waitClass: textAt(WAIT_CLASS, row),
        waitEvent: textAt(EVENT, row),
        statementId: textAt(STATEMENT, row),
        traceparent: '',
        blockedBy: Array.from(holders.items.subarray(holders.offsets[row], holders.offsets[row + 1]), (at) => holders.texts[at]),
        sinceMs: numberAt(SINCE, row),
        transactionMs: numberAt(TRANSACTION, row),
      };
    },
    idle: (row) => numberAt(IDLE, row) ?? 0,
    most: (row) => numberAt(MOST, row) ?? 0,
    cores: (row) => numberAt(CORES, row) ?? 0,
  };
}

const ACTIVE_CODES = new Set(['active', 'fastpath function call'].map((it) => SESSION_STATES.indexOf(it as never) + 1));
const HELD_OPEN_CODES = new Set(
  ['idle in transaction', 'idle in transaction (aborted)'].map((it) => SESSION_STATES.indexOf(it as never) + 1),
);

/** Whether a row's state is one that counts into the load. */
export function isActiveCode(state: number): boolean {
  return ACTIVE_CODES.has(state);
}

export function isHeldOpenCode(state: number): boolean {
  return HELD_OPEN_CODES.has(state);
}
