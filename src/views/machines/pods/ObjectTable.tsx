import { useMemo } from 'react';
import type { MachineObjects } from '../../../api/machines/object.ts';
import { useObjects } from '../../../ui/queries/machines.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { DataTable } from '../../../ui/table/DataTable.tsx';
import type { TableColumn } from '../../../ui/table/tableColumn.ts';
import styles from '../Machines.module.css';
import pods from './Pods.module.css';

interface ObjectTableProps {
  readonly kind: string;
  /** Fields that are columns, separated by commas; empty for those that the kind's definition names. */
  readonly fields: string;
  readonly chosen: string;
  readonly open: (id: string) => void;
  readonly setFields: (fields: string) => void;
}

type Listed = MachineObjects['objects'][number];

/** Objects of any kind, also of one's own, with fields of it as columns. */
export function ObjectTable({ kind, fields, chosen, open, setFields }: ObjectTableProps) {
  const { scope } = useScope();
  const found = useObjects(scope, kind);
  const answer = found.data;
  const shown = fields === '' ? (answer?.columns ?? []) : fields.split(',');
  const columns = useMemo(
    (): TableColumn<Listed>[] => [
      { key: 'name', title: 'name', align: 'left', value: ({ name }) => name, cell: ({ name }) => <b>{name}</b> },
      ...shown.map(
        (field): TableColumn<Listed> => ({ key: field, title: field, align: 'left', value: (it) => it.fields[field] ?? null }),
      ),
      { key: 'belongs to', title: 'belongs to', align: 'left', value: ({ partOf }) => partOf },
      { key: 'stands on', title: 'stands on', align: 'left', value: ({ standsOn }) => standsOn },
    ],
    [shown],
  );
  if (found.error && !answer) return <p>{found.error.message}</p>;
  if (!answer || answer.kind !== kind) return <p className="dim">Looking at each {kind} …</p>;
  return (
    <DataTable
      title={kind}
      columns={columns}
      rows={answer.objects}
      rowKey={({ id }) => id}
      isChosen={({ id }) => id === chosen}
      open={({ id }) => open(id)}
      bar={
        <span className={pods.tools}>
          {answer.total} of this kind; columns:{' '}
          {answer.fields.map((field) => (
            <button
              key={field}
              type="button"
              className={styles.chip}
              aria-pressed={shown.includes(field)}
              onClick={() =>
                setFields((shown.includes(field) ? shown.filter((it) => it !== field) : [...shown, field]).join(','))
              }
            >
              {field}
            </button>
          ))}
        </span>
      }
    />
  );
}
