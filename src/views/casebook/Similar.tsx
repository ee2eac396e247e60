import { dayTime } from '../../core/time/clock.ts';
import styles from '../../ui/casebook/Casebook.module.css';
import { MarkdownLine } from '../../ui/casebook/Markdown.tsx';
import { useSimilarCases } from '../../ui/queries/casebook.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import page from './Case.module.css';
import { sharedWords } from './words.ts';

/** Other cases like this one: what they share, what was found, what helped. */
export function Similar({ id }: { id: number }) {
  const found = useSimilarCases(id);
  const { href } = useScope();
  const zone = useZone();
  const it = found.data;
  return (
    <>
      <h2 className={page.section}>Cases like this</h2>
      {found.error && <p role="alert">{found.error.message}</p>}
      {it && it.cases.length === 0 && (
        <p className={styles.dim}>
          {it.compared === 0
            ? 'There is no other case yet.'
            : `None of the ${it.compared} other cases shares what is special of this one.`}
        </p>
      )}
      <ul className={page.similar}>
        {it?.cases.map((one) => (
          <li key={one.id}>
            <a href={href(`/casebook/${one.id}`)} suppressHydrationWarning>
              {one.id} · {one.title}
            </a>{' '}
            <span className={styles.dim} suppressHydrationWarning>
              {one.since === null ? '' : `${dayTime(one.since, zone, Date.now())} · `}both: {sharedWords(one.shared)}
            </span>
            {one.holds.map((text) => (
              <p key={text}>
                It was: <MarkdownLine text={text} />
              </p>
            ))}
            {one.helped !== '' && (
              <p>
                What helped: <MarkdownLine text={one.helped} />
              </p>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}
