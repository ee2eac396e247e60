import type { SenderList } from '../../api/intake/senders.ts';
import { formatAgo } from '../../core/measures/amount.ts';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { counted } from './headline.ts';
import styles from './Intake.module.css';

/** Who sends what, and what is missing from it. */
export function SenderTable({ list }: { list: SenderList | undefined }) {
  if (!list) return <p className="dim">Looking …</p>;
  if (list.senders.length === 0) return <p className={styles.words}>No data received yet.</p>;
  const now = Date.parse(list.now);
  return (
    <table className={styles.table}>
      <thead>
        <tr>
          <th>Service</th>
          <th>Version</th>
          <th className={styles.figure}>Instances</th>
          <th>Sends</th>
          <th>Last</th>
          <th>Missing</th>
        </tr>
      </thead>
      <tbody>
        {list.senders.map((it) => (
          <tr key={`${it.service} ${it.version} ${it.sdk}`}>
            <th scope="row">
              <ServiceMark service={it.service} /> {it.service}
            </th>
            <td className="mono">{it.version || '–'}</td>
            <td className={styles.figure}>{it.instances}</td>
            <td title={it.sdk || undefined}>{it.signals.map(({ signal, records }) => counted(signal, records)).join(', ')}</td>
            <td>{formatAgo(now - Date.parse(it.last))}</td>
            <td>
              {it.missing.length === 0 ? (
                <StateGlyph state="calm" word="nothing" />
              ) : (
                <ul className={styles.missing}>
                  {it.missing.map((words) => (
                    <li key={words}>
                      <StateGlyph state="strained" word="" /> {words}
                    </li>
                  ))}
                </ul>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
