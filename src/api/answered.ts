import type { LeftOut } from '../store/scope/leftOut.ts';

/** An answer as JSON, and what has to be said beside it. */
export interface Answered {
  readonly json: string;
  readonly status: number;
  /** Why it is not of all requests of its scope. */
  readonly leftOut: LeftOut;
}
