import { setTimeout as sleep } from 'node:timers/promises';
import { encodeLogsProtobuf, type OutgoingLog } from '../../src/formats/otlp/record/encodeLogs.ts';
import { encodeMetricsProtobuf, type OutgoingPoint } from '../../src/formats/otlp/record/encodeMetrics.ts';
import { sendOtlp } from '../../src/formats/otlp/wire/send.ts';

/** Records that wait while nobody takes them; the oldest are dropped beyond that. */
const MOST_WAITING = 1_200;
const BATCH = 120;
/** Seconds that are sent together are packed together, and take less room: see `./dusk bench databases`. */
const PAUSE_MS = 5_000;

/** Sends what was collected, in order, again and again until it is taken. What does not fit any more is dropped and counted. */
export class Outbox {
  readonly #to: string;
  readonly #most: number;
  readonly #say: (words: string) => void;
  #logs: OutgoingLog[] = [];
  #points: OutgoingPoint[] = [];
  #isOpen = true;
  #work: Promise<void>;
  dropped = 0;
  sent = 0;

  /** @param most records that wait while nobody takes them */
  constructor(to: string, say: (words: string) => void, most = MOST_WAITING) {
    this.#to = to;
    this.#most = most;
    this.#say = say;
    this.#work = this.#run();
  }

  log(record: OutgoingLog): void {
    this.#logs.push(record);
    if (this.#logs.length <= this.#most) return;
    this.#logs.shift();
    if (this.dropped++ % 60 === 0) this.#say(`${this.#to} takes nothing; ${this.dropped} of the oldest records were dropped`);
  }

  points(all: readonly OutgoingPoint[]): void {
    this.#points.push(...all);
    if (this.#points.length > 20 * MOST_WAITING) this.#points = this.#points.slice(-20 * MOST_WAITING);
  }

  /** Sends what is left, once. */
  async end(): Promise<void> {
    this.#isOpen = false;
    await this.#work;
  }

  async #run(): Promise<void> {
    while (this.#isOpen) {
      await sleep(PAUSE_MS);
      await this.#flush();
    }
    await this.#flush();
  }

  async #flush(): Promise<void> {
    while (this.#logs.length > 0) {
      const batch = this.#logs.slice(0, BATCH);
      if (!(await this.#send('logs', encodeLogsProtobuf(batch)))) return;
      this.sent += batch.length;
      const sent = new Set(batch);
      this.#logs = this.#logs.filter((it) => !sent.has(it));
    }
    const points = this.#points;
    if (points.length === 0 || !(await this.#send('metrics', encodeMetricsProtobuf(points)))) return;
    this.#points = this.#points.filter((it) => !points.includes(it));
  }

  async #send(signal: 'logs' | 'metrics', body: Uint8Array): Promise<boolean> {
    try {
      const said = await sendOtlp(this.#to, signal, body);
      if (said !== '') this.#say(said);
      return true;
    } catch (error) {
      this.#say((error as Error).message);
      return false;
    }
  }
}
