import type { RowView } from './rowView.ts';
import styles from './SpanRow.module.css';

/** The values of a span in the columns that were added. */
export function Cells({ view, span }: { view: RowView; span: number | undefined }) {
  return view.columns.map(({ key, textOf }) => {
    const text = span === undefined ? '' : textOf(span);
    return (
      <div key={key} role="gridcell" className={`mono ${styles.cell}`} title={text}>
        {text}
      </div>
    );
  });
}
