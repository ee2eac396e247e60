import { diffLines } from 'diff';
import { useEffect, useMemo, useRef } from 'react';
import type { CodeProfile } from '../../api/code/profile.ts';
import { formatCost } from '../../core/profile/words.ts';
import styles from './Code.module.css';

type Source = NonNullable<NonNullable<CodeProfile['chosen']>['source']>;

/** Lines shown around those that cost something. */
const AROUND = 4;

/** The source with what each line costs, with all that it calls, beside it. */
export function SourceCost({ profile }: { profile: CodeProfile }) {
  const { chosen } = profile;
  const hottest = useRef<HTMLLIElement>(null);
  const source = chosen?.source;
  const fresh = useMemo(() => (source ? newLines(source) : new Set<number>()), [source]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another function has other lines
  useEffect(() => {
    hottest.current?.scrollIntoView({ block: 'center' });
  }, [chosen?.name, source?.text]);
  if (!chosen) return null;
  if (!source)
    return (
      <div className={styles.source}>
        <p className={styles.sourceHead}>
          <b className="mono">{chosen.file || chosen.name}</b>
        </p>
        <p className="dim">
          {chosen.file === ''
            ? 'This is part of the runtime and has no source here.'
            : `No source of ${chosen.file} was sent. Send it as an object of kind source, see docs/events.md; the Node probe sends what it sees in profiles.`}
        </p>
      </div>
    );
  const costs = new Map(source.lines.map((it) => [it.line, it]));
  const most = Math.max(...source.lines.map(({ total }) => total.lit), 1);
  const lines = source.text.replace(/\n$/, '').split('\n');
  const shown = shownLines(lines.length, source, chosen.line);
  return (
    <div className={styles.source}>
      <p className={styles.sourceHead}>
        <b className="mono">{source.file}</b>{' '}
        <span className="dim">
          {source.version && `${source.version}, `}cost beside each line, with what it calls
          {fresh.size > 0 && (
            <>
              ; <b className={styles.fresh}>+</b> new since {source.formerVersion}
            </>
          )}
        </span>
      </p>
      {source.version !== source.ran && (
        <p className={styles.warning}>
          Source of another version: {source.ran || 'an unnamed version'} ran, this is {source.version || 'of no version'}. Lines
          may not fit.
        </p>
      )}
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard */}
      <ol className={styles.lines} tabIndex={0} aria-label={`Source of ${source.file}`}>
        {shown.map((line, at) => {
          const cost = costs.get(line)?.total.lit ?? 0;
          const skipped = at > 0 && line > shown[at - 1] + 1;
          return (
            <li key={line} ref={line === chosen.line ? hottest : undefined} data-hot={cost > 0.3 * most} data-after={skipped}>
              <span>{line}</span>
              <span className={styles.fresh}>{fresh.has(line) ? '+' : ''}</span>
              <span className={styles.lineCost}>
                {cost > 0 && formatCost(cost, profile.unit)}
                {cost > 0 && <i style={{ width: `${(100 * cost) / most}%` }} />}
              </span>
              <code>{lines[line - 1]}</code>
            </li>
          );
        })}
      </ol>
    </div>
  );
}

/** Lines that the source of the reference does not have. */
function newLines({ text, former }: Source): Set<number> {
  const found = new Set<number>();
  if (former === null) return found;
  let line = 1;
  for (const { added, removed, count } of diffLines(former, text)) {
    if (removed) continue;
    if (added) for (let at = 0; at < count; at++) found.add(line + at);
    line += count;
  }
  return found;
}

/** All lines of a short file; of a long one those that cost something, with some around. */
function shownLines(count: number, { lines }: Source, chosen: number): number[] {
  if (count <= 400) return Array.from({ length: count }, (_, at) => at + 1);
  const wanted = new Set<number>();
  for (const line of [...lines.map((it) => it.line), chosen])
    for (let at = Math.max(1, line - AROUND); at <= Math.min(count, line + AROUND); at++) wanted.add(at);
  return [...wanted].sort((a, b) => a - b);
}
