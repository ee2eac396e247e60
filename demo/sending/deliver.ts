import { setImmediate as othersTurn } from 'node:timers/promises';
import { sendOtlp } from '../../src/formats/otlp/wire/send.ts';
import type { Parcel } from './parcels.ts';

const SENDERS = 6;
/** Parcels that may wait before whoever makes them is held up: so that ten times as much takes no more memory. */
const MOST_WAITING = 24;

/** Sends parcels as anybody would: OTLP/HTTP, each again until it is acknowledged. */
export class Delivery {
  readonly #address: string;
  readonly #waiting: Parcel[] = [];
  readonly #wakeups: (() => void)[] = [];
  #sending = 0;
  #failure: Error | undefined;
  records = 0;

  constructor(address: string) {
    this.#address = address;
  }

  post(parcel: Parcel): void {
    this.#waiting.push(parcel);
    if (this.#sending < SENDERS) void this.#send();
  }

  /** Lets what is on its way go on, and waits until there is room for more. @throws Error when a parcel was refused */
  async room(): Promise<void> {
    await othersTurn();
    await this.#until(() => this.#waiting.length < MOST_WAITING);
  }

  /** Waits until everything is acknowledged. @throws Error when a parcel was refused */
  async end(): Promise<void> {
    await this.#until(() => this.#waiting.length === 0 && this.#sending === 0);
  }

  async #until(isSo: () => boolean): Promise<void> {
    while (!isSo() && !this.#failure) await new Promise<void>((wake) => this.#wakeups.push(wake));
    if (this.#failure) throw this.#failure;
  }

  async #send(): Promise<void> {
    this.#sending++;
    for (let parcel = this.#waiting.shift(); parcel; parcel = this.#waiting.shift()) {
      try {
        const said = await sendOtlp(this.#address, parcel.signal, parcel.body);
        if (said !== '') throw new Error(`what was sent is not as it should be: ${said}`);
        this.records += parcel.records;
      } catch (error) {
        this.#failure = error as Error;
        this.#waiting.length = 0;
      }
      for (const wake of this.#wakeups.splice(0)) wake();
    }
    this.#sending--;
    for (const wake of this.#wakeups.splice(0)) wake();
  }
}
