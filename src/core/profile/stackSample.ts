/** One frame of a stack, as far as its source tells. */
export interface Frame {
  readonly name: string;
  readonly file: string;
  /** From 1; 0 when not set. */
  readonly line: number;
}

/** A sample of one profile: its stack, the innermost frame first, and what it weighs. */
export interface StackSample {
  readonly frames: readonly Frame[];
  readonly value: number;
  /** Hex ids of the span it was taken in. */
  readonly span?: { readonly traceId: string; readonly spanId: string };
  /** What was asked of the service when it was taken, such as `GET /passes/{ref}`. */
  readonly operation?: string;
  readonly thread?: string;
}

/** What tells frames apart. */
export function frameKey({ name, file, line }: Frame): string {
  return `${name}\t${file}\t${line}`;
}

/** What tells functions apart: their frames on all lines are one. */
export function functionKey({ name, file }: Pick<Frame, 'name' | 'file'>): string {
  return `${name}\t${file}`;
}

/** The frame that a key is of. */
export function frameOfKey(key: string): Frame {
  const [name = '', file = '', line = '0'] = key.split('\t');
  return { name, file, line: Number(line) };
}
