/** Where a line of a stack stands in what runs. */
export interface RunPosition {
  /** The file without folders. */
  readonly file: string;
  /** From 1; columns too. */
  readonly line: number;
  readonly column: number;
}

/** The position that a line of a browser's stack names, however that browser writes it: `at f (URL:1:2)` or `f@URL:1:2`. */
export function positionIn(line: string): RunPosition | undefined {
  const match = /([^\s()@/]+):(\d+):(\d+)\)?$/.exec(line.trim());
  return match ? { file: match[1], line: Number(match[2]), column: Number(match[3]) } : undefined;
}

/** The function that a line of a stack names; empty when it has none. */
export function functionIn(line: string): string {
  return (
    /^at (?:async |new )*([^\s(]+)(?: \[as [^\]]+\])? \(/.exec(line.trim())?.[1] ?? /^([^\s@]+)@/.exec(line.trim())?.[1] ?? ''
  );
}

/** Where it was written. */
export interface WrittenPosition {
  readonly source: string;
  readonly line: number;
  readonly column: number;
  readonly name: string;
}

/** A stack with each line that can be found in a map put as it was written; others stay. */
export function resolveStack(stack: string, find: (position: RunPosition) => WrittenPosition | undefined): string {
  return stack
    .split('\n')
    .map((line) => {
      const position = positionIn(line);
      const written = position && find(position);
      if (!written) return line;
      const name = written.name || functionIn(line);
      const place = `${written.source}:${written.line}:${written.column}`;
      return name ? `${name} (${place})` : place;
    })
    .join('\n');
}
