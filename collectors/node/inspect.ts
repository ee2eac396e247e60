import { type Debugger, Session } from 'node:inspector';

/** Where the program was when it was stopped. */
interface Stopped {
  /** The innermost first. */
  readonly frames: readonly { readonly name: string; readonly url: string; readonly line: number; readonly column: number }[];
  /** The id of the request that it works on; 0 for none. */
  readonly request: number;
}

/** The program's thread as the probe's thread sees it: asked over the inspector, also while it is in the middle of a loop. */
export class Inspected {
  readonly #session = new Session();
  readonly #scripts = new Map<string, string>();
  #turn: Promise<unknown> = Promise.resolve();
  /** Settled when the message that was sent last has its answer. */
  #unanswered: Promise<void> = Promise.resolve();

  constructor() {
    this.#session.connectToMainThread();
    this.#session.on('Debugger.scriptParsed', ({ params }) => this.#scripts.set(params.scriptId, params.url));
  }

  /**
   * One message after the other: Node.js takes all that wait as one batch, and when the first of them runs into a stop, the others are never
   * reached and the program stays stopped.
   */
  post<T>(method: string, params: object = {}, withinMs = 30_000): Promise<T> {
    return this.#inTurn(() => this.#send<T>(method, params, withinMs));
  }

  #inTurn<T>(work: () => Promise<T>): Promise<T> {
    const next = this.#turn.then(work);
    // Who asked may have given up; the next one waits until the answer has come all the same.
    this.#turn = next.then(
      () => this.#unanswered,
      () => this.#unanswered,
    );
    return next;
  }

  #send<T>(method: string, params: object = {}, withinMs = 30_000): Promise<T> {
    return new Promise((resolve, reject) => {
      let answered = () => {};
      this.#unanswered = new Promise((done) => {
        answered = done;
      });
      const timer = setTimeout(() => reject(new Error(`${method}: no answer within ${withinMs} ms`)), withinMs);
      this.#session.post(method, params, (error, result) => {
        answered();
        clearTimeout(timer);
        if (error) reject(new Error(error.message));
        else resolve(result as T);
      });
    });
  }

  /** What an expression of the probe gives in the program's thread: a JSON text. */
  async ask<T>(expression: string): Promise<T> {
    const { result } = await this.post<{ result: { value?: unknown } }>('Runtime.evaluate', {
      expression: `globalThis.__duskProbe.${expression}`,
      returnByValue: true,
    });
    return (typeof result.value === 'string' ? JSON.parse(result.value) : result.value) as T;
  }

  /**
   * Stops the program for a moment to see where it is. Undefined when no JavaScript runs: then it waits for something. One at a time: two who
   * stop and let go by turns would leave it stopped.
   *
   * @param withinMs how long it is waited until the program comes to a place where it can be stopped
   */
  stack(withinMs: number): Promise<Stopped | undefined> {
    return this.#inTurn(() => this.#stackNow(withinMs));
  }

  async #stackNow(withinMs: number): Promise<Stopped | undefined> {
    try {
      await this.#send('Debugger.enable', { maxScriptsCacheSize: 0 });
      const paused = new Promise<Debugger.PausedEventDataType | undefined>((resolve) => {
        const timer = setTimeout(() => resolve(undefined), withinMs);
        this.#session.once('Debugger.paused', ({ params }) => {
          clearTimeout(timer);
          resolve(params);
        });
      });
      await this.#send('Debugger.pause');
      const params = await paused;
      if (!params) return undefined;
      try {
        const [first] = params.callFrames;
        const found = await this.#send<{ result: { value?: unknown } }>('Debugger.evaluateOnCallFrame', {
          callFrameId: first.callFrameId,
          expression: 'globalThis.__duskProbe.current()',
          returnByValue: true,
        }).catch(() => undefined);
        return {
          frames: params.callFrames.map(({ functionName, location, url }) => ({
            name: functionName,
            url: url || this.#scripts.get(location.scriptId) || '',
            line: location.lineNumber + 1,
            column: location.columnNumber ?? 0,
          })),
          request: Number(found?.result.value ?? 0),
        };
      } finally {
        await this.#send('Debugger.resume').catch(() => {});
      }
    } finally {
      await this.#send('Debugger.disable').catch(() => {});
    }
  }

  end(): void {
    this.#session.disconnect();
  }
}
