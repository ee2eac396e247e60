/** A failure that goes up through the callers, as the status code that each of them answers. */
export class Failed extends Error {
  readonly status: number;
  readonly type: string;
  /** As the runtime of the service prints it. */
  readonly trace: string;

  constructor(status: number, type: string, message: string, trace: string) {
    super(message);
    this.status = status;
    this.type = type;
    this.trace = trace;
  }
}
