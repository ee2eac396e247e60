import {
  type ByteColumn,
  codesOf,
  type ListColumn,
  listsOf,
  type NumberListColumn,
  numberListsOf,
  numbersOf,
  type Segment,
} from '../../core/columns/segment.ts';
import { idStartOf } from '../../core/measures/idStart.ts';
import * as requests from '../../core/requests/requestColumns.ts';
import type { OperationKey, RequestFailure } from '../../core/requests/requestRow.ts';
import type { PathPart } from '../../core/topology/origin/pathParts.ts';
import { groupOfBytes } from '../../core/topology/origin/shareInterval.ts';
import type { TraceId } from '../../core/trace/span.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { idAt } from './requestPoints.ts';
import { eachRequest } from './requestScope.ts';

/** A request with what its time is put down to. */
export interface PathRequest {
  readonly traceId: TraceId;
  readonly entry: OperationKey;
  readonly durationNs: number;
  readonly failed: boolean;
  /** Where it began to fail; null when it did not, or its spans do not tell. */
  readonly failure: RequestFailure | null;
  /** By a hash of its id. */
  readonly group: number;
  /** The first bytes of its id, as a number. */
  readonly idStart: number;
  /** Hands over the parts of its critical path, which sum to the duration: the same object for the same part in all requests of one call. */
  readonly eachPart: (take: (part: PathPart, ns: number) => void) => void;
}

/** What the requests of a segment are read from. */
interface PathColumns {
  readonly segment: Segment;
  readonly ids: ByteColumn;
  readonly path: ListColumn;
  readonly parts: readonly PathPart[];
  readonly amounts: NumberListColumn;
}

/** A request as it stands in its columns: what is rarely asked for is worked out when it is. */
class StoredPath implements PathRequest {
  constructor(
    private readonly columns: PathColumns,
    private readonly row: number,
    readonly entry: OperationKey,
    readonly durationNs: number,
    readonly failed: boolean,
    readonly failure: RequestFailure | null,
  ) {}

  get traceId(): TraceId {
    return idAt(this.columns.segment, this.row) as TraceId;
  }

  get group(): number {
    const { width, values } = this.columns.ids;
    return groupOfBytes(values, this.row * width, width);
  }

  get idStart(): number {
    const { width, values } = this.columns.ids;
    return idStartOf(values, this.row * width);
  }

  eachPart(take: (part: PathPart, ns: number) => void): void {
    const { path, parts, amounts } = this.columns;
    const first = path.offsets[this.row];
    const end = path.offsets[this.row + 1];
    const amount = amounts.offsets[this.row] - first;
    for (let at = first; at < end; at++) take(parts[path.items[at]], amounts.values[amount + at]);
  }
}

/** Goes through the requests that a filter leaves, whose root has come: all of them, at some microseconds each. */
export async function eachPath(filter: TraceFilter, visit: (request: PathRequest) => void): Promise<void> {
  const parts = new Map<string, PathPart>();
  await eachRequest(filter, ({ segment, rows }) => {
    const outcome = codesOf(segment, requests.OUTCOME).values;
    const ns = numbersOf(segment, requests.DURATION);
    const entry = codesOf(segment, requests.ENTRY);
    const entries = entry.texts.map(requests.readOperation);
    const failure = codesOf(segment, requests.FAILURE);
    const failures = failure.texts.map(requests.readFailure);
    const path = listsOf(segment, requests.PATH);
    const partOf = path.texts.map((text) => {
      const part = parts.get(text) ?? requests.readPart(text);
      parts.set(text, part);
      return part;
    });
    const ids = segment.column(requests.ID);
    if (ids?.type !== 'bytes') return;
    const columns = { segment, ids, path, parts: partOf, amounts: numberListsOf(segment, requests.PATH_NS) };
    for (const row of rows) {
      if ((outcome[row] & requests.ROOT_FOUND) === 0) continue;
      const failed = (outcome[row] & requests.ROOT_FAILED) !== 0;
      const why = failure.values[row] === 0 ? null : failures[failure.values[row] - 1];
      visit(new StoredPath(columns, row, entries[entry.values[row] - 1], ns[row], failed, why));
    }
  });
}
