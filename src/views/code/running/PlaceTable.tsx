import type { CodeRunning } from '../../../api/code/running.ts';
import { WAIT_COLOURS, WAIT_WORDS } from '../../../core/profile/runningWords.ts';
import { middleName } from '../../../core/profile/words.ts';
import { formatDuration, shortDuration } from '../../../core/time/duration.ts';
import { ServiceMark } from '../../../ui/list/ServiceMark.tsx';
import { StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { type AgeAxis, ageAxis } from './ageAxis.ts';
import styles from './Running.module.css';

export type Place = CodeRunning['places'][number];
export type Running = Place['requests'][number];

/** Requests of the chosen place that are listed one by one. */
const MOST_LISTED = 3;

/** How many times its usual duration makes a request stuck. */
const STUCK = 5;

export function isStuck({ ageMs }: { ageMs: number }, { p95Ms }: Place['usual']): boolean {
  return p95Ms !== null ? ageMs > STUCK * p95Ms : ageMs > 10_000;
}

interface PlaceTableProps {
  readonly answer: CodeRunning;
  readonly chosen: Running | undefined;
  readonly choose: (it: Running) => void;
  readonly opened: string;
  readonly open: (key: string) => void;
}

export function placeKey({ service, frame, wait, step }: Place): string {
  return `${service} ${frame ? `${frame.name}:${frame.line}` : step} ${wait}`;
}

/** Running requests by the line that they stand on, with their ages against what is usual. */
export function PlaceTable({ answer, chosen, choose, opened, open }: PlaceTableProps) {
  const oldest = Math.max(1_000, ...answer.places.flatMap(({ requests }) => requests.map(({ ageMs }) => ageMs)));
  const axis = ageAxis(oldest);
  return (
    <table className={styles.places}>
      <thead>
        <tr>
          <th />
          <th>where it stands: first line of own code</th>
          <th>what it does now</th>
          <th>looks</th>
          <th>
            <span className={styles.axis}>
              {axis.ticks.map(({ ms, at }) => (
                <i key={ms} data-end={at > 0.97} style={{ left: `${100 * at}%` }}>
                  {shortDuration(ms * 1e6)}
                </i>
              ))}
            </span>
          </th>
          <th>age</th>
        </tr>
      </thead>
      <tbody>
        {answer.places.map((place) => {
          const key = placeKey(place);
          const holds = chosen && place.requests.some(({ traceId }) => traceId === chosen.traceId);
          const stuck = place.requests.some((it) => isStuck(it, place.usual));
          const listed = holds && chosen ? listedOf(place.requests, chosen, opened === key) : [];
          return [
            <tr key={key} data-chosen={holds} data-stuck={stuck} onClick={() => choose(place.requests[0])}>
              <td>
                <StateGlyph state={stuck ? 'failing' : 'calm'} word={stuck ? 'far longer than usual' : 'as usual'} />
              </td>
              <td>
                <ServiceMark service={place.service} />{' '}
                <button type="button" onClick={() => choose(place.requests[0])}>
                  <b>{place.service}</b>{' '}
                  <code>{place.frame ? `${middleName(place.frame.name)} :${place.frame.line}` : place.step}</code>
                </button>
              </td>
              <td>
                <i className={styles.kind} style={{ background: `var(${WAIT_COLOURS[place.wait] ?? '--t-gap'})` }} />
                {WAIT_WORDS[place.wait] ?? place.wait}
              </td>
              <td>
                <b>{place.requests.length}</b> <span className="dim">{place.requests.length === 1 ? 'request' : 'requests'}</span>
              </td>
              <td>
                <Ages place={place} axis={axis} requests={place.requests} chosen={chosen} />
              </td>
              <td className="mono">{formatDuration(place.requests[0].ageMs * 1e6)}</td>
            </tr>,
            ...listed.map((it) => (
              <tr
                key={`${key} ${it.traceId} ${it.instance}`}
                className={styles.one}
                data-lit={it.traceId === chosen?.traceId}
                onClick={() => choose(it)}
              >
                <td />
                <td>
                  <button type="button" onClick={() => choose(it)} aria-pressed={it.traceId === chosen?.traceId}>
                    <code>{it.traceId.slice(0, 8)}</code>{' '}
                    <span className="dim">
                      {it.instance}
                      {it.thread && ` · ${it.thread}`}
                    </span>
                  </button>
                </td>
                <td>
                  {it.since !== null && it.looks > 1 && (
                    <span>same line since {formatDuration((answer.at - it.since) * 1e6)}</span>
                  )}
                </td>
                <td>
                  <span className={styles.looks} title={`${it.looks} of ${it.of} looks`}>
                    <i style={{ width: `${Math.min(100, (100 * it.looks) / Math.max(it.of, 1))}%` }} />
                  </span>
                </td>
                <td>
                  <Ages place={place} axis={axis} requests={[it]} chosen={chosen} line />
                </td>
                <td className="mono">{formatDuration(it.ageMs * 1e6)}</td>
              </tr>
            )),
            holds && place.requests.length > listed.length && (
              <tr key={`${key} more`} className={styles.one}>
                <td />
                <td colSpan={5}>
                  <button type="button" className={styles.more} onClick={() => open(opened === key ? '' : key)}>
                    {place.requests.length - listed.length} more on this line
                  </button>
                </td>
              </tr>
            ),
          ];
        })}
      </tbody>
    </table>
  );
}

function listedOf(requests: readonly Running[], chosen: Running, all: boolean): readonly Running[] {
  if (all) return requests;
  const first = requests.slice(0, MOST_LISTED);
  return first.some(({ traceId }) => traceId === chosen.traceId) ? first : [...first.slice(0, MOST_LISTED - 1), chosen];
}

interface AgesProps {
  readonly place: Place;
  readonly axis: AgeAxis;
  readonly requests: readonly Running[];
  readonly chosen: Running | undefined;
  /** A line from what is usual up to the age. */
  readonly line?: boolean;
}

/** Ages as dots on the axis, with the band of what is usual. */
function Ages({ place, axis, requests, chosen, line = false }: AgesProps) {
  const { p50Ms, p95Ms } = place.usual;
  const colour = `var(${WAIT_COLOURS[place.wait] ?? '--t-gap'})`;
  return (
    <span className={styles.ages}>
      {axis.ticks.map(({ ms, at }) => (
        <i key={ms} className={styles.grid} style={{ left: `${100 * at}%` }} />
      ))}
      {p50Ms !== null && p95Ms !== null && (
        <i
          className={styles.band}
          title={`usual: half within ${formatDuration(p50Ms * 1e6)}, 95 % within ${formatDuration(p95Ms * 1e6)}`}
          style={{ left: `${100 * axis.at(p50Ms / 2)}%`, width: `${Math.max(2, 100 * (axis.at(p95Ms) - axis.at(p50Ms / 2)))}%` }}
        />
      )}
      {line &&
        requests.map((it) => (
          <i
            key={it.traceId}
            className={styles.stretch}
            style={{
              left: `${100 * axis.at(p95Ms ?? 1)}%`,
              width: `${Math.max(0, 100 * (axis.at(it.ageMs) - axis.at(p95Ms ?? 1)))}%`,
              background: colour,
            }}
          />
        ))}
      {requests.slice(0, 60).map((it, at) => (
        <i
          key={`${it.traceId} ${it.instance}`}
          className={styles.dot}
          data-lit={it.traceId === chosen?.traceId}
          style={{
            left: `${100 * axis.at(it.ageMs)}%`,
            top: requests.length > 6 ? `${25 + 16 * (at % 4)}%` : '50%',
            background: colour,
          }}
        />
      ))}
    </span>
  );
}
