import type { DerivedEvent } from '../../formats/events/kinds.ts';
import type { LogHead } from '../../formats/otlp/record/logRecord.ts';

/** What the store needs of a log record. */
export interface ReadLog extends LogHead {
  readonly service: string;
  readonly instance: string;
  /** What it is derived into, when it is one of the project's own events. */
  readonly event: DerivedEvent | null;
}
