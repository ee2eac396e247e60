import type { AttributeValue } from './span.ts';

/** The text that a value of an attribute is held against: as JavaScript writes it, lists and maps as JSON; undefined for nothing. */
export function attributeText(value: AttributeValue | undefined): string | undefined {
  if (value === undefined || value === null) return undefined;
  return typeof value === 'object' ? JSON.stringify(value) : String(value);
}
