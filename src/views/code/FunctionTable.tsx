import type { CodeProfile } from '../../api/code/profile.ts';
import { formatCost, middleName, percent, placeOf } from '../../core/profile/words.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import type { TableColumn } from '../../ui/table/tableColumn.ts';
import styles from './Code.module.css';

type Row = CodeProfile['functions'][number];

/** Functions by what they take themselves and with all that they call. */
export function FunctionTable({
  profile,
  chosen,
  choose,
  find,
}: {
  profile: CodeProfile;
  chosen: string;
  choose: (key: string) => void;
  find: string;
}) {
  const wanted = find.toLowerCase();
  const rows = profile.functions.filter(({ name, file }) => `${name} ${file}`.toLowerCase().includes(wanted));
  const share = (of: Row['self']) => ({
    lit: of.lit / (profile.lit.value || 1),
    before: profile.before.value > 0 ? of.before / profile.before.value : null,
  });
  const shares = (of: Row['self']) => {
    const { lit, before } = share(of);
    return (
      <span className="mono" title={formatCost(of.lit, profile.unit)}>
        {before !== null && <span className={styles.was}>{percent(before)} → </span>}
        <b>{percent(lit)}</b>
      </span>
    );
  };
  const columns: TableColumn<Row>[] = [
    {
      key: 'function',
      title: 'function',
      align: 'left',
      value: ({ name }) => name,
      cell: (it) => (
        <button
          type="button"
          className={styles.functionName}
          data-own={it.own}
          title={`${it.name} ${placeOf(it)}`}
          onClick={() => choose(`${it.name}|${it.file}`)}
        >
          {middleName(it.name)}
        </button>
      ),
    },
    {
      key: 'picture',
      title: 'share',
      align: 'left',
      value: ({ self }) => share(self).lit,
      cell: ({ self }) => {
        const { lit, before } = share(self);
        return (
          <span className={styles.pairBars} aria-hidden="true">
            {before !== null && <i data-side="before" style={{ width: `${Math.max(before > 0 ? 2 : 0, 44 * before)}px` }} />}
            <i data-side="lit" style={{ width: `${Math.max(lit > 0 ? 2 : 0, 44 * lit)}px` }} />
          </span>
        );
      },
    },
    { key: 'self', title: 'self, %', value: ({ self }) => share(self).lit, cell: ({ self }) => shares(self) },
    {
      key: 'total',
      title: 'total, %',
      value: ({ total }) => share(total).lit,
      cell: ({ total }) => shares(total),
    },
    { key: 'file', title: 'file', align: 'left', hidden: true, value: placeOf },
    { key: 'selfCost', title: `self, ${profile.unit}`, hidden: true, value: ({ self }) => self.lit },
    { key: 'totalCost', title: `total, ${profile.unit}`, hidden: true, value: ({ total }) => total.lit },
  ];
  return (
    <DataTable
      title={`Functions of ${profile.service}`}
      columns={columns}
      rows={rows}
      rowKey={({ name, file }) => `${name}|${file}`}
      isChosen={({ name, file }) => `${name}|${file}` === chosen}
      open={({ name, file }) => choose(`${name}|${file}`)}
      bar={
        <span className="dim">
          {rows.length === profile.functions.length && profile.moreFunctions > 0
            ? `${profile.moreFunctions} more functions`
            : `${rows.length} functions`}
        </span>
      }
    />
  );
}
