import { cpus } from 'node:os';
import { runJob } from '../../analysis/pool.ts';
import { errorText } from '../requests/errorText.ts';
import { OthersLoad } from './othersLoad.ts';

/** Columns are built for so long at a time, so that a page that asks meanwhile waits no longer. */
const SETTLE_MS = 300;
/** How long nothing is done: after work, and when there was none. */
const REST_MS = 300;
const IDLE_MS = 5_000;
/** While others take more of the machine than this, columns wait: spans that come in are worth more than a page that is quick later. */
const MOST_FOR_OTHERS = 0.7;
/** But no longer than this: a machine that is always busy would never have any. */
const LONGEST_WAIT_MS = 10_000;

/** What a turn of settling says. */
export interface Settled {
  readonly isMore: boolean;
  /** Milliseconds of a processor that it took. */
  readonly ownMs: number;
}

/** Keeps the columns of requests up to date, at most half of the time and less while the machine is busy, until stopped. */
export function keepSettling(): () => void {
  const load = new OthersLoad(cpus().length);
  let timer: NodeJS.Timeout;
  let waitedMs = 0;
  const turn = async () => {
    let pause = IDLE_MS;
    if (load.share <= MOST_FOR_OTHERS || waitedMs >= LONGEST_WAIT_MS) {
      waitedMs = 0;
      try {
        const { isMore, ownMs } = await runJob<Settled>('settleColumns', [SETTLE_MS], { priority: 'background' });
        load.leaveOut(ownMs);
        if (isMore) pause = REST_MS;
      } catch (failure) {
        console.error(`columns: ${errorText(failure)}; tried again in ${IDLE_MS / 1000} s`);
      }
    } else {
      waitedMs += REST_MS;
      pause = REST_MS;
    }
    timer = setTimeout(() => {
      load.note(performance.now(), busyMs());
      void turn();
    }, pause);
  };
  load.note(performance.now(), busyMs());
  timer = setTimeout(() => void turn(), IDLE_MS);
  return () => clearTimeout(timer);
}

/** Milliseconds that all processors together were at work since the machine started. */
function busyMs(): number {
  return cpus().reduce((sum, { times }) => sum + times.user + times.nice + times.sys + times.irq, 0);
}
