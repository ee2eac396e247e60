/**
 * Where something that was asked holds a text that no store takes: with U+0000, or with half of a character that is written as a pair.
 *
 * @returns the name of the member at the top, or undefined
 */
export function brokenTextIn(asked: Readonly<Record<string, unknown>>): string | undefined {
  for (const [name, value] of Object.entries(asked)) {
    // A list of its own rather than calls of itself: bodies may be as deep as they are long.
    const open: unknown[] = [name, value];
    while (open.length > 0) {
      const it = open.pop();
      if (typeof it === 'string' && (it.includes('\0') || !it.isWellFormed())) return name;
      if (typeof it === 'object' && it !== null) {
        if (Array.isArray(it)) for (const one of it) open.push(one);
        else for (const [key, member] of Object.entries(it)) open.push(key, member);
      }
    }
  }
  return undefined;
}
