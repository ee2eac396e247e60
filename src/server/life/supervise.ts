import { setTimeout as sleep } from 'node:timers/promises';

/** Pauses before what has ended is started again: the first, twice as long each time, and the longest. */
const FIRST_PAUSE_MS = 1_000;
const LONGEST_PAUSE_MS = 60_000;
/** So often the first start is tried. */
const FIRST_TRIES = 3;
/** What has run for so long is held to be well: the next pause is the first again. */
const WELL_MS = 60_000;

/** How long it is waited before the next start. @param failures in a row, of which none ran for long */
export function pauseAfter(failures: number): number {
  return Math.min(LONGEST_PAUSE_MS, FIRST_PAUSE_MS * 2 ** Math.min(30, failures - 1));
}

export interface Process {
  /** Resolves when it has ended, for whatever reason. */
  readonly ended: Promise<void>;
}

interface SupervisedOptions<T extends Process> {
  /** As the messages name it. */
  readonly what: string;
  readonly start: () => Promise<T>;
  readonly say: (text: string) => void;
  /** Whether everything is being ended: then it is not started again. */
  readonly isEnding: () => boolean;
  /** Called when it runs again after it had ended. */
  readonly onRestart?: (it: T) => Promise<void> | void;
}

/** Keeps a process running: starts it again whenever it ends, after a pause that grows while it does not stay, and never gives up. */
export class Supervised<T extends Process> {
  readonly #options: SupervisedOptions<T>;
  #current: T | undefined;
  #restarts = 0;
  #isExpected = false;

  constructor(options: SupervisedOptions<T>) {
    this.#options = options;
  }

  /** The process as it runs now; undefined before the first start, and while it is away. */
  get current(): T | undefined {
    return this.#current;
  }

  /** How often it had to be started again. */
  get restarts(): number {
    return this.#restarts;
  }

  /** Starts it for the first time. @throws what the start throws, at last: what has never run is tried a few times only */
  async begin(): Promise<T> {
    const it = await this.#first();
    this.#current = it;
    void this.#watch(it);
    return it;
  }

  async #first(): Promise<T> {
    const { what, start, say, isEnding } = this.#options;
    for (let failures = 1; ; failures++) {
      try {
        return await start();
      } catch (error) {
        if (failures >= FIRST_TRIES || isEnding()) throw error;
        say(`${what} did not start: ${(error as Error).message}`);
        await sleep(pauseAfter(failures));
      }
    }
  }

  /** Ends the process by `end` and has it started anew at once. */
  async renew(end: (it: T) => Promise<void>): Promise<void> {
    const it = this.#current;
    if (!it) return;
    this.#isExpected = true;
    await end(it);
  }

  async #watch(first: T): Promise<void> {
    const { what, start, say, isEnding, onRestart } = this.#options;
    let failures = 0;
    for (let it: T | undefined = first; !isEnding(); ) {
      const began = performance.now();
      await it?.ended;
      this.#current = undefined;
      if (isEnding()) return;
      if (this.#isExpected) this.#isExpected = false;
      else {
        failures = it && performance.now() - began >= WELL_MS ? 1 : failures + 1;
        const pause = pauseAfter(failures);
        this.#restarts++;
        say(`${what} ended; starting it again in ${pause / 1000} s.`);
        await sleep(pause);
        if (isEnding()) return;
      }
      it = await start().catch((error: Error) => {
        say(`${what} did not start: ${error.message}`);
        return undefined;
      });
      if (!it) continue;
      this.#current = it;
      say(`${what} runs again.`);
      await onRestart?.(it);
    }
  }
}
