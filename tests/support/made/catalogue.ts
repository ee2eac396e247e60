import type { Catalogue, Column, KnownIndex, Table } from '../../../src/core/planbench/catalogue.ts';

/* What a server would say of a few tables of a harbour, without a server. */

interface MadeColumn {
  readonly type?: string;
  readonly notNull?: boolean;
  readonly distinct?: number;
  readonly correlation?: number;
  readonly collation?: string;
}

const CATEGORIES: Readonly<Record<string, string>> = { integer: 'N', numeric: 'N', text: 'S', timestamptz: 'D', boolean: 'B' };

function table(
  name: string,
  rows: number,
  columns: Readonly<Record<string, MadeColumn>>,
  more: Partial<Pick<Table, 'references' | 'kind' | 'schema'>> & {
    readonly key?: string;
    readonly indexes?: readonly string[][];
  } = {},
): Table {
  const { key = 'id', indexes = [], references = [], kind = 'r', schema = 'public' } = more;
  const index = (of: readonly string[], at: number): KnownIndex => ({ name: `${name}_${at}`, columns: of, isPlain: true });
  return {
    schema,
    name,
    kind,
    rows,
    bytes: rows * 100,
    columns: new Map(
      Object.entries(columns).map(([column, it]): [string, Column] => {
        const { type = 'integer', notNull = false, distinct = 0, correlation = 0 } = it;
        const collation = it.collation ?? (type === 'text' ? 'default' : '');
        return [
          column,
          { name: column, type, category: CATEGORIES[type], collation, notNull, distinct, correlation, defaultText: '' },
        ];
      }),
    ),
    keys: key === '' ? [] : [{ columns: [key], notNull: true }],
    references,
    indexes: [...(key === '' ? [] : [[key]]), ...indexes].map(index),
  };
}

const builtIn = (volatility: 'i' | 's' | 'v', isAggregate = false) => ({ volatility, isAggregate, isBuiltIn: true });

export const HARBOUR: Catalogue = {
  tables: new Map(
    [
      table('quay', 300, { id: { notNull: true }, name: { type: 'text', notNull: true }, region: { type: 'text' } }),
      table(
        'call',
        90_000,
        {
          id: { notNull: true, distinct: -1, correlation: 1 },
          quay_id: { notNull: true, distinct: 300 },
          pilot_id: { distinct: 90 },
          tonnage: { distinct: 1024 },
          kind: { type: 'text', distinct: 3 },
          at: { type: 'timestamptz', notNull: true, distinct: -1, correlation: 0.99 },
        },
        { references: [{ columns: ['quay_id'], table: 'quay', tableColumns: ['id'] }], indexes: [['at']] },
      ),
      table('pilot', 120, { id: {}, name: { type: 'text' } }, { key: '' }),
      table('berthing', 160_000, {
        id: { notNull: true },
        call_id: { notNull: true, distinct: -0.5 },
        hours: { distinct: 30 },
        at: { type: 'timestamptz', notNull: true, distinct: -1, correlation: 0.98 },
      }),
    ].map((it) => [it.name, it]),
  ),
  functions: new Map([
    ['count', builtIn('i', true)],
    ['sum', builtIn('i', true)],
    ['max', builtIn('i', true)],
    ['lower', builtIn('i')],
    ['date_trunc', builtIn('s')],
    ['random', builtIn('v')],
    ['row_number', builtIn('i')],
  ]),
};
