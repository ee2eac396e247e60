import { type CodeColumn, codesOf, hexAt, type Segment } from '../../columns/segment.ts';
import type { RootHarm } from '../blockingTree.ts';
import type { HeldOpen } from '../heldOpen.ts';
import type { Holder } from '../holders.ts';
import { DIMENSION_COLUMNS } from '../sessionColumns.ts';
import {
  CLASS,
  CORES,
  COUNT,
  DIMENSION,
  FIRST,
  type HourPart,
  IDLE,
  INTERVAL,
  KIND,
  KINDS,
  type Kind,
  LAST,
  MINUTE,
  MOMENTS,
  MOST,
  MOST_AT,
  OPEN,
  SESSION,
  TRACE,
  TRANSACTION,
  VALUE,
  WAIT_CLASS,
  WAITED,
  WAITED_UNIT_MS,
} from './hourColumns.ts';

/** Samples of an hour by one value of one dimension. Places in the columns are those of `rows`. */
export interface HourParts {
  readonly rows: Rows;
  readonly counts: ArrayLike<number>;
  /** Place in `DIMENSION_COLUMNS`, and in `WAIT_CLASSES`. */
  readonly dimensions: ArrayLike<number>;
  readonly classes: ArrayLike<number>;
  readonly values: CodeColumn;
}

/** Samples of an hour by mixtures of values. */
export interface HourMixtures {
  readonly rows: Rows;
  readonly counts: ArrayLike<number>;
  readonly classes: CodeColumn;
  readonly column: (name: string) => CodeColumn;
}

/** Rows from `from` to before `to`. */
interface Rows {
  readonly from: number;
  readonly to: number;
}
const NO_ROWS: Rows = { from: 0, to: 0 };

/** One part of an hour. */
class Part {
  readonly #segment: Segment;
  readonly #rows = new Map<Kind, Rows>();
  readonly #codes = new Map<string, CodeColumn>();

  constructor(segment: Segment) {
    this.#segment = segment;
    const { values } = codesOf(segment, KIND);
    // Rows of one kind stand together.
    for (let from = 0; from < segment.rows; ) {
      let to = from + 1;
      while (to < segment.rows && values[to] === values[from]) to++;
      this.#rows.set(KINDS[values[from]], { from, to });
      from = to;
    }
  }

  of(kind: Kind): Rows {
    return this.#rows.get(kind) ?? NO_ROWS;
  }

  column(name: string): CodeColumn {
    let column = this.#codes.get(name);
    if (!column) {
      column = codesOf(this.#segment, name);
      this.#codes.set(name, column);
    }
    return column;
  }

  text(name: string, row: number): string {
    const { values, texts } = this.column(name);
    return values[row] === 0 ? '' : texts[values[row] - 1];
  }

  number(name: string, row: number): number {
    return this.column(name).values[row];
  }

  hex(name: string, row: number): string {
    const found = this.#segment.column(name);
    return found?.type === 'bytes' ? hexAt(found, row) : '';
  }
}

/** An hour of sampled sessions, to be read; only of the parts that it is made of. */
export class SessionHour {
  readonly hourMs: number;
  readonly #parts: Partial<Readonly<Record<HourPart, Part>>>;

  /** @param hourMs when it begins, epoch milliseconds */
  constructor(segments: Partial<Readonly<Record<HourPart, Segment>>>, hourMs: number) {
    this.hourMs = hourMs;
    this.#parts = Object.fromEntries(Object.entries(segments).map(([part, segment]) => [part, new Part(segment)]));
  }

  /** Of the moments at which it was sampled; undefined when it was at none. */
  get moments() {
    const { total } = this.#parts;
    const { from: row, to } = total?.of('moments') ?? NO_ROWS;
    if (!total || row === to) return undefined;
    const number = (name: string) => total.number(name, row);
    return {
      count: number(COUNT),
      firstMs: this.hourMs + number(FIRST),
      lastMs: this.hourMs + number(LAST),
      sampledMs: number(INTERVAL),
      idle: number(IDLE),
      most: number(MOST),
      cores: number(CORES),
      /** Time that sessions spent waiting for others. */
      waitedMs: number(WAITED) * WAITED_UNIT_MS,
    };
  }

  /** Visits how often each minute was sampled, and its sessions by wait class. @param visit with the minute's beginning, epoch milliseconds */
  eachMinute(visit: (atMs: number, classAt: number | 'moments', count: number) => void): void {
    const { total } = this.#parts;
    if (!total) return;
    const [minutes, classes, counts] = [MINUTE, CLASS, COUNT].map((name) => total.column(name).values);
    const { from, to } = total.of('minute');
    for (let row = from; row < to; row++)
      visit(this.hourMs + 60_000 * minutes[row], classes[row] === MOMENTS ? 'moments' : classes[row], counts[row]);
  }

  get parts(): HourParts[] {
    return [this.#parts.total, this.#parts.values].flatMap((it) =>
      it
        ? {
            rows: it.of('part'),
            counts: it.column(COUNT).values,
            dimensions: it.column(DIMENSION).values,
            classes: it.column(CLASS).values,
            values: it.column(VALUE),
          }
        : [],
    );
  }

  /** Undefined when they were not asked for. */
  get mixtures(): HourMixtures | undefined {
    const { mixtures } = this.#parts;
    return (
      mixtures && {
        rows: mixtures.of('mixture'),
        counts: mixtures.column(COUNT).values,
        classes: mixtures.column(WAIT_CLASS),
        column: (name) => mixtures.column(name),
      }
    );
  }

  /** Sessions that held their transaction open, in order of time. */
  get heldOpen(): HeldOpen[] {
    return this.#details('open', (row, it) => {
      const from = this.hourMs + it.number(FIRST, row);
      const transaction = it.number(TRANSACTION, row);
      return {
        session: it.text(SESSION, row),
        program: it.text(DIMENSION_COLUMNS.program, row),
        user: it.text(DIMENSION_COLUMNS.user, row),
        statementId: it.text(DIMENSION_COLUMNS.statement, row),
        from,
        to: this.hourMs + it.number(LAST, row),
        transactionFrom: transaction === 0 ? null : from - transaction + 1,
      };
    });
  }

  /** Sessions that others waited for. */
  get roots(): RootHarm[] {
    return this.#details('root', (row, it) => ({
      root: {
        session: it.text(SESSION, row),
        program: it.text(DIMENSION_COLUMNS.program, row),
        user: it.text(DIMENSION_COLUMNS.user, row),
        client: it.text(DIMENSION_COLUMNS.client, row),
        statementId: it.text(DIMENSION_COLUMNS.statement, row),
      },
      firstMs: this.hourMs + it.number(FIRST, row),
      lastMs: this.hourMs + it.number(LAST, row),
      waitedMs: it.number(WAITED, row) * WAITED_UNIT_MS,
      most: it.number(MOST, row),
      mostAtMs: this.hourMs + it.number(MOST_AT, row),
      heldOpenMs: it.number(OPEN, row) * WAITED_UNIT_MS,
    }));
  }

  /** Who held the locks that statements waited for. */
  get holders(): Holder[] {
    return this.#details('holder', (row, it) => ({
      waiting: it.text(DIMENSION_COLUMNS.statement, row),
      session: it.text(SESSION, row),
      program: it.text(DIMENSION_COLUMNS.program, row),
      user: it.text(DIMENSION_COLUMNS.user, row),
      waits: it.number(COUNT, row),
      idle: it.number(IDLE, row),
    }));
  }

  /** Beginnings of the ids of traces in whose course a statement was seen: a fair sample of them. */
  traces(statementId: string): string[] {
    return this.#details('trace', (row, it) =>
      it.text(DIMENSION_COLUMNS.statement, row) === statementId ? it.hex(TRACE, row) : '',
    ).filter((id) => id !== '');
  }

  #details<T>(kind: Kind, read: (row: number, it: Part) => T): T[] {
    const { values } = this.#parts;
    if (!values) return [];
    const { from, to } = values.of(kind);
    return Array.from({ length: to - from }, (_, at) => read(from + at, values));
  }
}
