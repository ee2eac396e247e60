import type { Span } from './span.ts';

/**
 * Attributes of span events are fields of a request under names of their own: `event:NAME:KEY`, blanks of the name as `_`, since a field has none.
 * What happened at all is `event:name`.
 */
const PREFIX = 'event:';
export const EVENT_NAME = `${PREFIX}name`;
/** What an exception says is told by the failure; its texts tell single requests apart. */
const EXCEPTION = 'exception';
/** A longer name is no kind of event. */
const LONGEST_NAME = 60;
/** Different fields of the events of one span, at most: names that a sender makes up would take the room of attributes. */
const MOST_FIELDS = 24;

export function isEventField(field: string): boolean {
  return field.startsWith(PREFIX);
}

/** The events of a span as attributes: of each name and key all values, in order. */
export function eventFields({ events }: Span): ReadonlyMap<string, readonly Span['attributes'][string][]> {
  const fields = new Map<string, Span['attributes'][string][]>();
  const note = (field: string, value: Span['attributes'][string]) => {
    const known = fields.get(field);
    if (known) known.push(value);
    else if (fields.size < MOST_FIELDS) fields.set(field, [value]);
  };
  for (const { name, attributes } of events) {
    if (name === '' || name === EXCEPTION || name.length > LONGEST_NAME) continue;
    note(EVENT_NAME, name);
    const prefix = `${PREFIX}${name.replace(/\s/g, '_')}:`;
    for (const key in attributes) note(`${prefix}${key}`, attributes[key]);
  }
  return fields;
}
