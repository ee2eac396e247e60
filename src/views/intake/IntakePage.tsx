import type { SenderList } from '../../api/intake/senders.ts';
import type { IntakeState } from '../../api/intake/state.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { formatAgo, formatBytes, formatCount } from '../../core/measures/amount.ts';
import { clockTime, dayOf } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { useIntake, useSenders } from '../../ui/queries/intake.ts';
import { useZone } from '../../ui/state/zone.ts';
import { counted, intakeHeadline } from './headline.ts';
import styles from './Intake.module.css';
import { IntakeTabs } from './IntakeTabs.tsx';
import { MinuteBars } from './MinuteBars.tsx';
import { SenderTable } from './SenderTable.tsx';

export interface IntakeFirst {
  readonly state?: IntakeState;
  readonly senders?: SenderList;
  readonly series?: RequestSeries;
}

/** What comes in, from whom, what was not taken and why, and what is kept of it. */
export function IntakePage({ start, first }: { start: IslandStart; first: IntakeFirst }) {
  const intake = useIntake(first.state);
  const senders = useSenders(first.senders);
  const state = intake.data;
  const failure = intake.error ?? senders.error;
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={false}
      trouble={state ? failure : null}
      inspectorLabel="Pressure and room"
      inspector={state && <Pressure state={state} />}
    >
      <IntakeTabs here="/intake" />
      <h1>{!state && failure ? 'No answer' : intakeHeadline(state)}</h1>
      {!state && failure && <p className={styles.words}>{failure.message}</p>}
      {state && (
        <>
          <SignalTable state={state} />
          <Refusals state={state} />
          <Folded state={state} />
          <h2>Who sends</h2>
          <SenderTable list={senders.data} />
          <StoredTable state={state} />
        </>
      )}
    </Frame>
  );
}

function SignalTable({ state }: { state: IntakeState }) {
  return (
    <table className={styles.table}>
      <thead>
        <tr>
          <th>Signal</th>
          <th>Taken by the minute, last hour</th>
          <th className={styles.figure}>Taken</th>
          <th className={styles.figure}>Requests</th>
          <th className={styles.figure}>Came again</th>
          <th className={styles.figure}>Masked</th>
          <th className={styles.figure}>Answered in</th>
          <th className={styles.figure}>Longest</th>
        </tr>
      </thead>
      <tbody>
        {state.signals.map((it) => (
          <tr key={it.signal}>
            <th scope="row">{it.signal}</th>
            <td>
              <MinuteBars perMinute={it.perMinute} label={`${it.signal}: ${counted(it.signal, it.records)} in the last hour`} />
            </td>
            <td className={styles.figure}>{formatCount(it.records)}</td>
            <td className={styles.figure}>{formatCount(it.requests)}</td>
            <td className={styles.figure}>{formatCount(it.repeated)}</td>
            <td className={styles.figure}>{formatCount(it.masked)}</td>
            <td className={styles.figure}>{it.meanMs === null ? '–' : formatDuration(it.meanMs * 1e6)}</td>
            <td className={styles.figure}>{it.requests === 0 ? '–' : formatDuration(it.slowestMs * 1e6)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Refusals({ state }: { state: IntakeState }) {
  if (state.refused.length === 0) return null;
  const now = Date.parse(state.now);
  return (
    <>
      <h2>Not taken in the last hour</h2>
      <ul className={styles.refusals}>
        {state.refused.map((it) => (
          <li key={it.signal + it.reason}>
            <StateGlyph state="strained" word="" />
            <span className="mono">
              {it.records > 0
                ? counted(it.signal, it.records)
                : `${formatCount(it.requests)} ${it.requests === 1 ? 'request' : 'requests'} of ${it.signal}`}
            </span>
            <span className={styles.reason}>{it.reason}</span>
            <span className="dim">{formatAgo(now - Date.parse(it.last))}</span>
          </li>
        ))}
      </ul>
    </>
  );
}

const FOLDED_WORDS: Readonly<Record<IntakeState['folded'][number]['kind'], string>> = {
  operations:
    'too many operation names. What differs from request to request belongs in attributes; the name is a route, such as GET /passes/{ref}.',
  peers: 'too many names of whom it calls. server.address should be a name, not an address of its own for each call.',
  events: 'too many event names. What differs belongs in the attributes of the event.',
  pages: 'too many page names. The name of a page is its route.',
  instances: 'too many instances. service.instance.id should stay the same as long as the process lives.',
  series: 'too many metric series. An attribute with a value of its own for each request makes a series of each.',
};

/** Whose names are no longer told apart, and what they can do. */
function Folded({ state }: { state: IntakeState }) {
  if (state.folded.length === 0) return null;
  return (
    <>
      <h2>Counted as "other names"</h2>
      <ul className={styles.refusals}>
        {state.folded.map(({ service, kind }) => (
          <li key={`${service} ${kind}`}>
            <StateGlyph state="strained" word="" />
            <span className="mono">{service}</span>
            <span className={styles.reason}>{FOLDED_WORDS[kind]}</span>
          </li>
        ))}
      </ul>
    </>
  );
}

function StoredTable({ state }: { state: IntakeState }) {
  const zone = useZone();
  const when = (iso: string | null) =>
    iso === null ? '–' : `${dayOf(Date.parse(iso), zone)} ${clockTime(Date.parse(iso), zone)}`;
  return (
    <>
      <h2>What is stored</h2>
      {state.aside.blocks > 0 && (
        <p role="status">
          {`Records that came under an older version are being taken in again: ${formatCount(state.aside.records)} are left. Until then they are missing on all pages.`}
        </p>
      )}
      <table className={styles.table}>
        <thead>
          <tr>
            <th>Signal</th>
            <th>From</th>
            <th>To</th>
            <th className={styles.figure}>Days</th>
            <th className={styles.figure}>Retention</th>
            <th className={styles.figure}>Records</th>
            <th className={styles.figure}>Clock out of range</th>
            <th className={styles.figure}>Size</th>
          </tr>
        </thead>
        <tbody>
          {state.stored.map((it) => (
            <tr key={it.signal}>
              <th scope="row">{it.signal}</th>
              <td>{when(it.oldest)}</td>
              <td>{when(it.newest)}</td>
              <td className={styles.figure}>{it.days}</td>
              <td className={styles.figure}>{it.keepDays} days</td>
              <td className={styles.figure}>{formatCount(it.records)}</td>
              <td
                className={styles.figure}
                title="Records whose clock was out of range. They are stored separately; find them by id."
              >
                {formatCount(it.clockOutOfRange)}
              </td>
              <td className={styles.figure}>{formatBytes(it.bytes)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function Pressure({ state }: { state: IntakeState }) {
  const zone = useZone();
  const { held } = state;
  return (
    <div className={styles.panel}>
      <section>
        <h2>Pressure now</h2>
        <Level
          name="requests held"
          value={held.requests}
          most={held.mostRequests}
          text={`${held.requests} of ${held.mostRequests}`}
        />
        <Level
          name="bytes held"
          value={held.bytes}
          most={held.mostBytes}
          text={`${formatBytes(held.bytes)} of ${formatBytes(held.mostBytes)}`}
        />
        <p className={styles.line}>
          <span>waiting for room</span>
          <span className="mono">{held.waiting}</span>
        </p>
        <p className={styles.line}>
          <span>memory of the application</span>
          <span className="mono">{formatBytes(held.memoryBytes)}</span>
        </p>
        <p className="dim">When it is full, senders are asked to retry. Nothing that was acknowledged waits here.</p>
      </section>
      <section>
        <h2>Room</h2>
        <Level
          name="store"
          value={state.bytes - state.spareBytes}
          most={state.mostBytes}
          text={`${formatBytes(state.bytes - state.spareBytes)} of ${formatBytes(state.mostBytes)}`}
        />
        {state.spareBytes > 0 && (
          <p className={styles.line}>
            <span>free again in its files</span>
            <span className="mono">{formatBytes(state.spareBytes)}</span>
          </p>
        )}
        <p className="dim">Beyond that the oldest days go first, then the oldest hours of today.</p>
      </section>
      <section>
        <h2>Dropped</h2>
        {state.dropped.length === 0 ? (
          <p className="dim">None yet.</p>
        ) : (
          state.dropped.map((it) => (
            <p key={it.at + it.signal + it.day + it.until} className={styles.line}>
              <span>
                {it.signal} {it.day}
                {it.until && ` before ${clockTime(Date.parse(it.until), zone)}`}, {it.reason === 'age' ? 'too old' : 'no room'}
              </span>
              <span className="mono">{counted(it.signal, it.records)}</span>
            </p>
          ))
        )}
      </section>
    </div>
  );
}

/** How full something is: a bar, and the same in figures. */
function Level({ name, value, most, text }: { name: string; value: number; most: number; text: string }) {
  const share = Math.min(1, value / most);
  return (
    <div className={styles.level}>
      <p className={styles.line}>
        <span>{name}</span>
        <span className="mono">{text}</span>
      </p>
      <div className={styles.gauge} data-full={share > 0.8} aria-hidden="true">
        <div style={{ width: `${100 * share}%` }} />
      </div>
    </div>
  );
}
