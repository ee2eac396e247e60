/** What a server's catalogue says of the tables that a statement reads or changes. */
export interface Catalogue {
  /** By name as the statement writes it. */
  readonly tables: ReadonlyMap<string, Table>;
  readonly functions: ReadonlyMap<string, KnownFunction>;
}

/** All functions of a name, taken together. */
export interface KnownFunction {
  /** Immutable, stable, or volatile when any of them is. */
  readonly volatility: 'i' | 's' | 'v';
  readonly isAggregate: boolean;
  /** Whether all of them are PostgreSQL's own. */
  readonly isBuiltIn: boolean;
}

export interface Table {
  readonly schema: string;
  readonly name: string;
  /** r table, p partitioned, v view, m materialised view, f foreign table. */
  readonly kind: string;
  /** As the server last estimated. */
  readonly rows: number;
  readonly bytes: number;
  readonly columns: ReadonlyMap<string, Column>;
  readonly keys: readonly Key[];
  readonly references: readonly Reference[];
  readonly indexes: readonly KnownIndex[];
}

export interface Column {
  readonly name: string;
  readonly type: string;
  /** b boolean, n numeric, d date and time, s string, and so on, as pg_type names them. */
  readonly category: string;
  /** The rules by which it is sorted; empty for what has none. */
  readonly collation: string;
  readonly notNull: boolean;
  /** Different values; negative: as a share of the rows. As pg_stats has it; 0 when unknown. */
  readonly distinct: number;
  /** Of the order of its values with the order on disk, -1 to 1. */
  readonly correlation: number;
  readonly defaultText: string;
}

/** Columns that no two rows have the same values of, at once. */
export interface Key {
  readonly columns: readonly string[];
  /** Whether none of them can be null: else several rows may have null in them. */
  readonly notNull: boolean;
}

export interface Reference {
  readonly columns: readonly string[];
  readonly table: string;
  readonly tableColumns: readonly string[];
}

export interface KnownIndex {
  readonly name: string;
  readonly columns: readonly string[];
  readonly isPlain: boolean;
}

/** Whether the values of some columns tell every row of a table apart. */
export function isUnique(table: Table, columns: readonly string[]): boolean {
  return table.keys.some((key) => key.columns.every((it) => columns.includes(it)));
}

/** Different values of a column, estimated. */
export function distinctValues(table: Table, column: Column): number {
  const { distinct } = column;
  if (distinct === 0) return Math.max(1, Math.min(200, table.rows));
  return Math.max(1, distinct > 0 ? distinct : -distinct * table.rows);
}
