import type { SpanId, TraceId } from '../../src/core/trace/span.ts';
import type { Process, Simulation } from '../simulation/simulation.ts';
import { MINUTE } from '../simulation/units.ts';

/** A message with the span that sent it, and when. */
export interface Message {
  readonly kind: string;
  readonly bookingRef: string;
  readonly sender: { readonly traceId: TraceId; readonly spanId: SpanId };
  readonly sentAt: number;
  /** How often it was handed out, and when last. */
  deliveries: number;
  takenAt: number;
}

/** Whoever takes a message has it to itself for so long; then it is handed out again, unless it was said to be done. */
export const LOCK_MINUTES = 60;

/** A queue whose messages are handed out one by one, and again when whoever took one has not said that it is done. */
export class Queue {
  readonly name: string;
  readonly #simulation: Simulation;
  readonly #messages: Message[] = [];
  readonly #takers: (() => void)[] = [];
  sent = 0;
  done = 0;

  constructor(simulation: Simulation, name: string) {
    this.#simulation = simulation;
    this.name = name;
  }

  get depth(): number {
    return this.#messages.length;
  }

  /** Since when the oldest message waits, nanoseconds; 0 when none does. */
  get age(): number {
    return this.#messages.length === 0
      ? 0
      : this.#simulation.now - Math.min(...this.#messages.slice(0, 50).map(({ sentAt }) => sentAt));
  }

  send(message: Omit<Message, 'sentAt' | 'deliveries' | 'takenAt'>): void {
    this.sent++;
    this.#messages.push({ ...message, sentAt: this.#simulation.now, deliveries: 0, takenAt: 0 });
    this.#takers.shift()?.();
  }

  *take(): Process<Message> {
    while (this.#messages.length === 0) yield (goOn) => this.#takers.push(goOn);
    return this.#hand();
  }

  /** So many of those that wait, without waiting for more. */
  takeWaiting(most: number): Message[] {
    return Array.from({ length: Math.min(most, this.#messages.length) }, () => this.#hand());
  }

  #hand(): Message {
    const message = this.#messages.shift()!;
    message.deliveries++;
    message.takenAt = this.#simulation.now;
    return message;
  }

  /** Whoever took a message has fallen silent: nobody gets it before its lock has run out. */
  leaveLocked(message: Message): void {
    this.#simulation.start(this.#handOutAgain(message));
  }

  *#handOutAgain(message: Message): Process {
    yield* this.#simulation.sleep(Math.max(0, message.takenAt + LOCK_MINUTES * MINUTE - this.#simulation.now));
    this.giveBack(message);
  }

  /** Puts a message back that was taken and not worked off. */
  giveBack(message: Message): void {
    this.#messages.unshift(message);
    this.#takers.shift()?.();
  }
}
