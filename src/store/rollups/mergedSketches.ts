import { sql } from 'drizzle-orm';
import type { CallSum } from '../../core/measures/callSum.ts';
import { mergeEncoded, type Sketch } from '../../core/measures/sketch.ts';
import type { SketchTable } from '../../core/measures/sketchTable.ts';

const LENGTH_BYTES = 4;

/** SQL for the sketches of all rows of a group, one behind the other, each with its length before it. */
export const JOINED = "string_agg(int4send(length(sketch)) || sketch, '')";

/** Sums of rollups, in SQL: as `CallSum`, with the sketches as `JOINED`. */
export const SUMS = sql.raw(
  `sum(calls)::float8 AS calls, sum(failures)::float8 AS failures, sum(client_errors)::float8 AS "clientErrors",
  sum(ok_ns)::float8 AS "okNs", sum(failed_ns)::float8 AS "failedNs", ${JOINED} AS sketches`,
);

/** A row with such sums, client errors apart. */
export type FiguresRow = Omit<CallSum, 'clientErrors' | 'sketch'> & { readonly sketches: Buffer };
/** A row with `SUMS`. */
export type SumsRow = FiguresRow & Pick<CallSum, 'clientErrors'>;

/** Adds such a row to a sum. */
export function addMerged(sum: CallSum, row: SumsRow): void {
  addFigures(sum, row);
  sum.clientErrors += row.clientErrors;
}

/** The same where nobody asks for client errors. */
export function addFigures(sum: Omit<CallSum, 'clientErrors'>, { calls, failures, okNs, failedNs, sketches }: FiguresRow): void {
  sum.calls += calls;
  sum.failures += failures;
  sum.okNs += okNs;
  sum.failedNs += failedNs;
  mergeSketches(sum.sketch, sketches);
}

/** Adds the values of many sketches, as `JOINED` gives them. @throws RangeError when the bytes end in the middle of one */
export function mergeSketches(sketch: Sketch, joined: Buffer): void {
  eachJoined(joined, (start, end) => mergeEncoded(sketch, joined, start, end));
}

/** The same for a table. */
export function addToTable(table: SketchTable, joined: Buffer): void {
  eachJoined(joined, (start, end) => table.add(joined, start, end));
}

/** Where each of the sketches that `JOINED` gives begins and ends. */
export function eachJoined(joined: Buffer, take: (start: number, end: number) => void): void {
  for (let at = 0; at < joined.length; ) {
    const from = at + LENGTH_BYTES;
    at = from + joined.readUInt32BE(at);
    if (at > joined.length) throw new RangeError('the bytes end in the middle of a sketch');
    take(from, at);
  }
}
