import type { DatabaseServer } from '../../api/databases/server.ts';
import { clockTime } from '../../core/time/clock.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Databases.module.css';
import { ageWords, whoIs } from './words.ts';

interface HeldOpenLaneProps {
  readonly held: DatabaseServer['heldOpen'];
  /** The stretch that the lane spans, epoch milliseconds. */
  readonly from: number;
  readonly to: number;
}

/** Shorter ones are every transaction's: a client thinks between two statements. */
const LEAST_MS = 3_000;
const LEFT = 34;

/** Transactions that were held open while their sessions ran nothing: no load, but they keep locks. */
export function HeldOpenLane({ held, from, to }: HeldOpenLaneProps) {
  const zone = useZone();
  const shown = held.filter((it) => it.to - it.from >= LEAST_MS);
  const share = (ms: number) => (100 * (Math.min(Math.max(ms, from), to) - from)) / Math.max(1, to - from);
  return (
    <div className={styles.lane} style={{ paddingLeft: LEFT }}>
      <span className={styles.laneName}>held open</span>
      <div>
        {shown.length === 0 && <span className="dim">no transaction was idle for 3 s or more</span>}
        {shown.map((it) => (
          <span
            key={`${it.session} ${it.from}`}
            className={styles.open}
            style={{ left: `${share(it.from)}%`, width: `max(3px, ${share(it.to) - share(it.from)}%)` }}
            title={`${whoIs(it)}, session ${it.session}: idle in its transaction from ${clockTime(it.from, zone, true)} for ${ageWords(it.to - it.from)}; last ran ${it.statement}`}
          >
            {whoIs(it)} {it.session}, idle in its transaction, so not counted above
          </span>
        ))}
      </div>
    </div>
  );
}
