import { useState } from 'react';
import type { ContrastAnswer } from '../../api/contrast/contrast.ts';
import type { ContrastMoved } from '../../api/contrast/moved.ts';
import type { ContrastWhere } from '../../api/contrast/where.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatValue } from '../../core/measures/unitText.ts';
import { condition } from '../../core/scope/condition.ts';
import { withChip } from '../../core/scope/scope.ts';
import { dayTime } from '../../core/time/clock.ts';
import { KIND_WORDS } from '../../core/trace/time/kindWords.ts';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Contrast.module.css';
import { Curves } from './Curves.tsx';
import { ruledOutWords, shareWords, signedAmount } from './words.ts';

const RULED_OUT = 0.05;

/** What makes no difference, and how sure that is. */
export function NoDifference({ answer, beside }: { answer: ContrastAnswer; beside: string | undefined }) {
  return (
    <section className={styles.list} aria-label="Makes no difference">
      <h2>
        Makes no difference <span title="Its values explain less than this, 99 times in 100">99 % sure under</span>
      </h2>
      <ul>
        {answer.ruledOut.map((it) => (
          <li key={`${it.field} ${it.service}`} data-faint={it.atMost >= RULED_OUT} title={`${it.field}, ${it.values} values`}>
            <span>
              <i aria-hidden="true">{it.atMost < RULED_OUT ? '—' : '·'}</i> {ruledOutWords(it)}
              {it.atMost >= RULED_OUT && <span className="dim"> little, if anything</span>}
            </span>
            <span className="mono">{shareWords(it.atMost)}</span>
          </li>
        ))}
        {answer.coincides.map((it) => (
          <li key={it.key} data-faint="true" title="All of one side and none of the other: the window itself cannot tell">
            <span>
              <i aria-hidden="true">?</i>{' '}
              {it.facets.map(({ service, values }) => `${shownName(service ?? '')} ${values.join(', ')}`).join(' ')}{' '}
              <span className="dim">coincides with the window</span>
            </span>
          </li>
        ))}
        {answer.ruledOut.length + answer.coincides.length === 0 && (
          <li className="dim">Too few requests to rule anything out.</li>
        )}
      </ul>
      {beside && <p className="dim">beside {beside}</p>}
    </section>
  );
}

interface WhereProps {
  readonly where: ContrastWhere | undefined;
  readonly error: Error | null;
  readonly outcome: ContrastAnswer['outcome'];
  readonly isPeeled: boolean;
}

const SMALL = 0.002;

/** Operations by the change of their time on the critical path; or where failures start. */
export function WhereList({ where, error, outcome, isPeeled }: WhereProps) {
  const { scope, href } = useScope();
  if (outcome === 'failures') return <FailingList where={where} error={error} isPeeled={isPeeled} />;
  const most = Math.max(1, ...(where?.lines ?? []).map((it) => Math.abs(it.a - it.b)));
  const lines = where?.lines.filter((it) => Math.max(Math.abs(it.a - it.b), Math.abs(it.leftA - it.leftB)) >= SMALL * most) ?? [];
  const shown = new Set(lines);
  const rest = where ? where.lines.filter((it) => !shown.has(it)).reduce((sum, it) => sum + it.a - it.b, where.restNs) : 0;
  const restLeft = where
    ? where.lines.filter((it) => !shown.has(it)).reduce((sum, it) => sum + it.leftA - it.leftB, where.restLeftNs)
    : 0;
  return (
    <section className={styles.list} aria-label="Where in the system">
      <h2>
        Where in the system{' '}
        <span>
          {where &&
            `adds up to ${signedAmount(where.differenceNs, 'duration')}${isPeeled ? `, ${signedAmount(where.leftNs, 'duration')} left` : ''}`}
        </span>
      </h2>
      {error && !where && <p role="alert">{error.message}</p>}
      <ul>
        {lines.map((it) => {
          const gain = it.a - it.b;
          return (
            <li key={`${it.party} ${it.operation} ${it.kind}`} title={KIND_WORDS[it.kind]}>
              <a
                href={
                  it.operation === ''
                    ? href(`/services/${encodeURIComponent(it.party)}`)
                    : href('/traces', withChip(scope, condition('operation', 'is', it.operation)))
                }
                suppressHydrationWarning
              >
                <ServiceMark service={it.party} height={11} /> <b>{shownName(it.party)}</b>{' '}
                {it.operation === ''
                  ? KIND_WORDS[it.kind]
                  : it.kind === 'own'
                    ? shownName(it.operation)
                    : `${shownName(it.operation)}, ${KIND_WORDS[it.kind]}`}
              </a>
              <span className={styles.gain} aria-hidden="true">
                <i
                  style={{
                    width: `${(Math.abs(gain) / most) * 100}%`,
                    background: gain < 0 ? 'var(--before)' : `var(--t-${it.kind})`,
                  }}
                />
              </span>
              <span className="mono">{signedAmount(gain, 'duration')}</span>
              {isPeeled && <span className={`mono ${styles.leftFigure}`}>{signedAmount(it.leftA - it.leftB, 'duration')}</span>}
            </li>
          );
        })}
        {where && (
          <li className="dim">
            <span>all others</span>
            <span className="mono">{signedAmount(rest, 'duration')}</span>
            {isPeeled && <span className={`mono ${styles.leftFigure}`}>{signedAmount(restLeft, 'duration')}</span>}
          </li>
        )}
      </ul>
    </section>
  );
}

function FailingList({ where, error, isPeeled }: Omit<WhereProps, 'outcome'>) {
  const failing = where?.failing ?? [];
  const sum = failing.reduce((all, it) => all + it.a, 0);
  return (
    <section className={styles.list} aria-label="Where failures start">
      <h2>
        Where failures start{' '}
        <span>{where && (failing.length === 1 ? 'all at one place' : `${failing.length} ways, of A and B`)}</span>
      </h2>
      {error && !where && <p role="alert">{error.message}</p>}
      <ul>
        {failing.map((it) => (
          <li key={`${it.party} ${it.what}`} title={it.what}>
            <span>
              <ServiceMark service={it.party} height={11} /> <b>{shownName(it.party)}</b> {shownName(it.what)}
            </span>
            <span className="mono">
              {formatCount(Math.round(it.b))} → {formatCount(Math.round(it.a))}
            </span>
            <span className="mono">{sum > 0 ? shareWords(it.a / sum) : ''}</span>
            {isPeeled && <span className={`mono ${styles.leftFigure}`}>{formatCount(Math.round(it.leftA))}</span>}
          </li>
        ))}
        {where && failing.length === 0 && <li className="dim">No request of either failed.</li>}
      </ul>
    </section>
  );
}

interface MovedProps {
  readonly moved: ContrastMoved | undefined;
  readonly where: ContrastWhere | undefined;
  readonly error: Error | null;
  /** When the first request of the best row began, epoch milliseconds. */
  readonly began: number | null;
  readonly now: number;
}

/** What requests say, measures that moved, and changes in order of time. */
export function MovedList({ moved, where, error, began, now }: MovedProps) {
  const zone = useZone();
  const { href } = useScope();
  const known = moved?.measures.filter(({ turn }) => turn !== 'unknown') ?? [];
  // Those that changed by the largest factor first.
  const turned = known.filter(({ turn }) => turn !== 'flat').sort((one, other) => factorOf(other) - factorOf(one));
  const [whole, setWhole] = useState(false);
  const flat = known.length - turned.length;
  const { a = 0, b = 0 } = where?.requests ?? {};
  const said = (where?.said ?? []).filter((it) => a > 0 && b > 0 && Math.abs(it.a / a - it.b / b) >= 0.02);
  return (
    <section className={styles.list} aria-label="What else moved">
      <h2>
        What else moved{' '}
        <span
          title={known
            .filter(({ turn }) => turn === 'flat')
            .map(({ service, name }) => `${service} ${name}`)
            .join('\n')}
        >
          {moved && `${flat} ${flat === 1 ? 'metric' : 'metrics'} flat`}
        </span>
      </h2>
      {error && !moved && <p role="alert">{error.message}</p>}
      <ul>
        {said.slice(0, 8).map((it) => (
          <li key={`${it.field} ${it.value}`} title={it.field}>
            <span>
              <i>{it.b === 0 ? 'new' : it.a / a > it.b / b ? 'more' : 'fewer'}</i> {it.field.split('.').at(-1)}{' '}
              {shownName(it.value)}
            </span>
            <span className="mono">
              {formatCount(Math.round(it.b))} → {formatCount(Math.round(it.a))}
            </span>
          </li>
        ))}
        {moved?.shapes.slice(0, 6).map((it) => (
          <li key={it.id} title={`message shape, ${it.severity}`}>
            <a href={`${href('/logs')}&shape=${it.id}&as=lines`} suppressHydrationWarning>
              <i>{it.state === 'burst' ? 'at once' : it.state}</i> {it.services[0]} says {shapeWords(it.pieces)}
            </a>
            <span className="mono">
              {formatCount(it.before)} → {formatCount(it.lit)}
            </span>
          </li>
        ))}
        {turned.slice(0, whole ? undefined : MOST_MEASURES).map((it) => (
          <li key={`${it.service} ${it.name} ${it.detail} ${it.ofHost}`} title={`${it.name} ${it.detail}`}>
            <a href={href(`/services/${encodeURIComponent(it.service)}`)} suppressHydrationWarning>
              <i>{it.turn === 'up' ? 'rose' : 'fell'}</i> {shownName(it.service)}
              {it.ofHost ? ' host' : ''} {it.name.split('.').slice(-2).join(' ')} {it.detail}
            </a>
            <Curves measure={it} />
            <span className="mono">{pairWords(it)}</span>
          </li>
        ))}
        {turned.length > MOST_MEASURES && (
          <li>
            <button type="button" className={styles.plain} onClick={() => setWhole(!whole)}>
              {whole ? 'fewer' : `${turned.length - MOST_MEASURES} more that moved less`}
            </button>
          </li>
        )}
        {moved?.changes.map((it) => (
          <li key={`${it.at} ${it.title}`} title={`${it.kind} ${it.phase}`}>
            <span>
              <i className="mono">{dayTime(it.at, zone, now)}</i> {shownName(it.title)}
            </span>
            <span className="mono dim">{began === null ? '' : fitWords(it.at, began)}</span>
          </li>
        ))}
        {moved && turned.length + said.length + moved.shapes.length + moved.changes.length === 0 && (
          <li className="dim">Nothing else moved.</li>
        )}
      </ul>
    </section>
  );
}

function shapeWords(pieces: ContrastMoved['shapes'][number]['pieces']): string {
  return shownName(
    pieces
      .map((it) => (typeof it === 'string' ? it : '…'))
      .join('')
      .split('\n', 1)[0],
  );
}

/** Measures that are listed at first. */
const MOST_MEASURES = 7;

type Moved = ContrastMoved['measures'][number];

function factorOf({ before, lit }: Moved): number {
  const [then, now] = [Math.abs(before ?? 0), Math.abs(lit ?? 0)];
  return Math.max(then, now) / Math.max(1e-9, Math.min(then, now));
}

/** "4.05 → 35.6 MB": the unit once where it is the same. */
function pairWords({ before, lit, unit }: Moved): string {
  const [then, now] = [before, lit].map((value) => (value === null ? '' : formatValue(value, unit)));
  const suffix = now.slice(now.indexOf(' '));
  return `${now.includes(' ') && then.endsWith(suffix) ? then.slice(0, -suffix.length) : then} → ${now}`;
}

/** How a change lies to the beginning: "2 min before". */
function fitWords(at: number, began: number): string {
  const minutes = Math.round((began - at) / 60_000);
  if (minutes === 0) return 'at its beginning';
  return minutes > 0 ? `${minutes} min before` : `${-minutes} min after`;
}
