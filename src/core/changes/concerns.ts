/** What a change is known by. */
interface Named {
  readonly service: string;
  readonly title: string;
}

/**
 * What a change concerns, of some names of services, hosts, databases and partners: the one that reported it, and all that its title names
 * as a whole word. A setting of a pool is reported by who changed it, and names whose pool it is.
 *
 * @param names the first that fits is given @returns undefined when it concerns none of them
 */
export function concerns({ service, title }: Named, names: readonly string[]): string | undefined {
  return names.find((name) => name !== '' && (name === service || hasWord(title, name)));
}

/** Letters, digits and marks that names are made of: what stands beside a name must be none of them. */
const PART_OF_NAME = /[\p{L}\p{N}_-]/u;

function hasWord(text: string, word: string): boolean {
  const [inText, sought] = [text.toLowerCase(), word.toLowerCase()];
  for (let at = inText.indexOf(sought); at >= 0; at = inText.indexOf(sought, at + 1)) {
    const [before, after] = [inText[at - 1] ?? ' ', inText[at + sought.length] ?? ' '];
    if (!PART_OF_NAME.test(before) && !PART_OF_NAME.test(after)) return true;
  }
  return false;
}
