import type { Attributes, AttributeValue } from '../../core/trace/span.ts';

/** Attributes that belong together, under a heading. */
export interface ValueGroup {
  readonly title: string;
  readonly entries: readonly (readonly [key: string, value: AttributeValue])[];
}

/** Beginnings of the keys of OpenTelemetry's semantic conventions, in the order in which they are shown. */
const GROUPS: readonly (readonly [title: string, keys: RegExp])[] = [
  ['Errors', /^(error|exception|otel)\./],
  ['Database', /^db\./],
  ['HTTP', /^(http|url|user_agent)\./],
  ['RPC', /^rpc\./],
  ['Messaging', /^messaging\./],
  ['Network', /^(server|client|network|net|peer)\./],
  ['Code', /^(code|thread|process|faas)\./],
];

/** A program's own attributes first, then those of the conventions by their subject. Groups without any are left out. */
export function valueGroups(attributes: Attributes): ValueGroup[] {
  const entries = Object.entries(attributes);
  const ofGroup = ([key]: readonly [string, unknown]) => GROUPS.find(([, keys]) => keys.test(key))?.[0] ?? 'Own';
  return ['Own', ...GROUPS.map(([title]) => title)].flatMap((title) => {
    const its = entries.filter((entry) => ofGroup(entry) === title);
    return its.length > 0 ? [{ title, entries: its }] : [];
  });
}

/** A text that is a JSON object or list, written with indents; undefined for any other. */
export function prettyJson(text: string): string | undefined {
  if (!/^\s*[[{]/.test(text)) return undefined;
  try {
    return JSON.stringify(JSON.parse(text), null, 2);
  } catch {
    return undefined;
  }
}
