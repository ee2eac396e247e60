/** What a line of source does, as far as it matters for habits that cost. */
export const MARKS = [
  'append text',
  'serialize',
  'compile pattern',
  'sort',
  'search',
  'copy list',
  'blocking call',
  'log',
  'throw',
  'query',
  'keep',
] as const;

export type Mark = (typeof MARKS)[number];

/** A loop that a line stands in, and the name of what it goes over where that is one name. */
export interface Loop {
  readonly over: string;
}

export interface LineFacts {
  /** The function that the line is in; empty outside of all. */
  readonly function: string;
  /** The line on which that function begins; 0 outside of all. */
  readonly start: number;
  /** Loops around it inside of its function, the outermost first. */
  readonly loops: readonly Loop[];
  readonly marks: ReadonlySet<Mark>;
}

/** Facts of the lines of one file, by line from 1. */
export type FileFacts = ReadonlyMap<number, LineFacts>;
