import type { SpanId, TraceId } from '../../src/core/trace/span.ts';
import type { Process, Simulation } from '../simulation/simulation.ts';

/** A message with the span that sent it, and when. */
export interface Message {
  readonly kind: string;
  readonly bookingRef: string;
  readonly sender: { readonly traceId: TraceId; readonly spanId: SpanId };
  readonly sentAt: number;
  /** How often it was handed out. */
  deliveries: number;
}

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

  send(message: Omit<Message, 'sentAt' | 'deliveries'>): void {
    this.sent++;
    this.#messages.push({ ...message, sentAt: this.#simulation.now, deliveries: 0 });
    this.#takers.shift()?.();
  }

  *take(): Process<Message> {
    while (this.#messages.length === 0) yield (goOn) => this.#takers.push(goOn);
    const message = this.#messages.shift()!;
    message.deliveries++;
    return message;
  }

  /** Puts a message back that was taken and not worked off. */
  giveBack(message: Message): void {
    this.#messages.unshift(message);
    this.#takers.shift()?.();
  }
}
