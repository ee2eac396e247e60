import { condition } from '../../core/scope/condition.ts';
import { type Scope, withChip } from '../../core/scope/scope.ts';
import { clockTimeExact } from '../../core/time/clock.ts';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { useLogLines } from '../../ui/queries/logs.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Stitched.module.css';

/** The lines of one group as one time line across services; each opens in Lines. */
export function GroupLines({ scope, name, group }: { scope: Scope; name: string; group: string }) {
  const { href } = useScope();
  const zone = useZone();
  // What names it stands in an attribute or in the text: in the text it is found either way.
  const question = { text: `"${group}"` };
  const lines = useLogLines(scope, question, 'oldest', true);
  const shown = lines.data?.pages.flatMap((page) => page.lines) ?? [];
  const address = (line: string) =>
    `${href('/logs')}&${new URLSearchParams({ ...question, as: 'lines', order: 'oldest', line })}`;
  return (
    <section>
      <h2>
        {group} <small>{name}</small>
      </h2>
      {lines.error && <p role="alert">{lines.error.message}</p>}
      <ol className={styles.story}>
        {shown.slice(0, 60).map((it) => (
          <li key={it.id} data-severity={it.severity}>
            <a href={address(it.id)} suppressHydrationWarning>
              <span className="mono">{clockTimeExact(Date.parse(it.at), zone)}</span>
              <span>
                <ServiceMark service={it.service} height={9} /> {it.instance || it.service}{' '}
                {it.text.split('\n', 1)[0].slice(0, 120)}
              </span>
            </a>
          </li>
        ))}
      </ol>
      {lines.isFetching && shown.length === 0 && <p className="dim">Reading …</p>}
      {!lines.isFetching && shown.length === 0 && (
        <p className="dim">Its name stands in no text; its lines carry it as an attribute.</p>
      )}
      <p className={styles.actions}>
        <a href={href('/traces', withChip(scope, condition(name, 'is', group)))} suppressHydrationWarning>
          Its traces
        </a>
        <a
          href={`${href('/logs')}&${new URLSearchParams({ ...question, as: 'lines', order: 'oldest' })}`}
          suppressHydrationWarning
        >
          Its lines
        </a>
      </p>
    </section>
  );
}
