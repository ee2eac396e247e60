import { createHash } from 'node:crypto';
import { formatCount } from '../core/measures/amount.ts';
import type { TrialSession } from './session.ts';

/** What is kept of the rows of a statement: enough to tell whether another one gives the same. */
export interface RowPrint {
  readonly count: number;
  readonly types: string;
  /** The same for the same rows in any order, as often as each stands there. */
  readonly rows: string;
  /** The same for the same order of what is sorted by. */
  readonly order: string;
}

const MOST_ROWS = 3_000_000;
/**
 * Runs a statement and prints its rows. None of them is kept.
 *
 * @param keys places of the columns that it sorts by
 * @param added how many columns at the end only serve that
 * @throws Error when there are more rows than can be looked at
 */
export async function rowsOf(
  session: TrialSession,
  text: string,
  values: readonly string[],
  { keys, added }: { readonly keys: readonly number[]; readonly added: number },
): Promise<RowPrint> {
  const sums = new Uint32Array(8);
  let count = 0;
  let order = Buffer.alloc(0);
  const types = await session.stream(text, values, (row) => {
    if (++count > MOST_ROWS) return;
    const own = added === 0 ? row : row.slice(0, row.length - added);
    const digest = createHash('sha256').update(joined(own)).digest();
    // Sums, so that the order does not count; eight of them, each by itself.
    for (let at = 0; at < sums.length; at++) sums[at] += digest.readUInt32LE(4 * at);
    if (keys.length === 0) return;
    const sorted = keys.map((at) => row.at(at) ?? null);
    order = createHash('sha256').update(order).update(joined(sorted)).digest();
  });
  if (count > MOST_ROWS) throw new Error(`more than ${formatCount(MOST_ROWS)} rows: they are not compared`);
  return {
    count,
    types: types.slice(0, types.length - added).join(' '),
    rows: [...sums].map((it) => it.toString(16).padStart(8, '0')).join(''),
    order: order.toString('hex'),
  };
}

/** With lengths, so that no two different rows read the same. */
function joined(row: readonly (string | null)[]): string {
  return row.map((it) => (it === null ? 'null;' : `${it.length}:${it};`)).join('');
}

/** What differs between the rows of two runs, in words; undefined when nothing does. */
export function rowDifference(original: RowPrint, other: RowPrint): string | undefined {
  if (original.types !== other.types) return 'columns of other types';
  if (original.count !== other.count) {
    const more = other.count - original.count;
    return `${formatCount(other.count)} rows, ${formatCount(Math.abs(more))} ${more > 0 ? 'too many' : 'missing'}`;
  }
  if (original.rows !== other.rows) return 'other rows, as many of them';
  if (original.order !== other.order) return 'the same rows in another order';
  return undefined;
}
