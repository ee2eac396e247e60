/** A line of a specification, held against the one before. */
export interface SpecificationLine {
  readonly text: string;
  /** What stood there before; null where nothing did, undefined where the line is the same. */
  readonly was?: string | null;
}

const fieldOf = (line: string) => /^(\s*(?:- )?[^\s:#][^:]*):/.exec(line)?.[1];

/**
 * Which lines of a specification are new or other than before, and which are gone. Lines are matched by the field that they set and all the
 * fields around it, since a specification is a tree: a value that changed is one change.
 */
export function specificationDiff(now: string, before: string | undefined): { lines: SpecificationLine[]; gone: string[] } {
  const lines = now.split('\n').filter((line, at, all) => line !== '' || at < all.length - 1);
  if (before === undefined) return { lines: lines.map((text) => ({ text })), gone: [] };
  const former = new Map<string, string>();
  for (const [key, text] of keyed(before.split('\n'))) former.set(key, text);
  const seen = new Set<string>();
  const marked = keyed(lines).map(([key, text]): SpecificationLine => {
    seen.add(key);
    const was = former.get(key);
    return was === text ? { text } : { text, was: was === undefined ? null : was.trim() };
  });
  const gone = [...former].filter(([key, text]) => !seen.has(key) && text.trim() !== '').map(([, text]) => text.trim());
  return { lines: marked, gone };
}

/** Each line with the path of the fields that it lies in; lines without a field are their own key. */
function keyed(lines: readonly string[]): [key: string, text: string][] {
  const path: { depth: number; field: string }[] = [];
  const counts = new Map<string, number>();
  return lines.map((text) => {
    const depth = text.length - text.trimStart().length;
    while (path.length > 0 && path[path.length - 1].depth >= depth) path.pop();
    const field = fieldOf(text)?.trim() ?? text.trim();
    const key = [...path.map((it) => it.field), field].join('\0');
    path.push({ depth, field });
    // The same field of several items of a list: told apart by their order.
    const nth = counts.get(key) ?? 0;
    counts.set(key, nth + 1);
    return [`${key}\0${nth}`, text];
  });
}
