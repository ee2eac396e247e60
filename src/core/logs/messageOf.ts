/** Members by which structured lines name what they say. */
const NAMES = ['message', 'msg', 'event', 'text', 'body'];
/** The same in a line of key=value. */
const KEY_VALUE = /(?:^|\s)(?:message|msg|event)=("(?:[^"\\]|\\.)*"|\S+)/;
const LONGEST_STRUCTURE = 20_000;

/** What a line says, when it is a structure that has it among other things: JSON, or key=value. Otherwise the whole of it. */
export function messageOf(text: string): string {
  if (text.length > LONGEST_STRUCTURE) return text;
  if (text.startsWith('{') && text.trimEnd().endsWith('}')) {
    const members = parsed(text);
    for (const name of NAMES) if (typeof members?.[name] === 'string' && members[name] !== '') return members[name];
    return text;
  }
  const found = text.includes('=') ? KEY_VALUE.exec(text)?.[1] : undefined;
  if (found === undefined) return text;
  return found.startsWith('"') ? found.slice(1, -1) : found;
}

function parsed(text: string): Record<string, unknown> | undefined {
  try {
    return JSON.parse(text) as Record<string, unknown>;
  } catch {
    return undefined;
  }
}
