import { describe, expect, it } from 'vitest';
import { compareValues, shownData, type TableColumn } from './tableColumn.ts';

interface Row {
  readonly name: string;
  readonly ns: number | null;
}
const COLUMNS: readonly TableColumn<Row>[] = [
  { key: 'name', title: 'name', value: ({ name }) => name },
  { key: 'mean ns', title: 'mean', value: ({ ns }) => ns, beside: [['mean ms', ({ ns }) => (ns === null ? null : ns / 1e6)]] },
];

describe('a table', () => {
  it('is data with the link that shows it', () => {
    const rows = [
      { name: 'holds', ns: 2e6 },
      { name: 'fares', ns: null },
    ];
    expect(shownData('services', '/now?last=60min', COLUMNS, rows)).toEqual({
      title: 'services',
      link: '/now?last=60min',
      columns: ['name', 'mean ns', 'mean ms'],
      rows: [
        ['holds', 2e6, 2],
        ['fares', null, null],
      ],
    });
  });

  it('is sorted by size or by name, with what has no value last', () => {
    const sorted = (values: (number | string | null)[], down: boolean) => [...values].sort((a, b) => compareValues(a, b, down));
    expect(sorted([3, null, 1, 20], false)).toEqual([1, 3, 20, null]);
    expect(sorted([3, null, 1, 20], true)).toEqual([20, 3, 1, null]);
    expect(sorted(['quay-10', 'quay-9', null], false)).toEqual(['quay-9', 'quay-10', null]);
  });
});
