import type { FieldList } from '../../api/fields/list.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { condition, OWN_FIELDS } from '../../core/scope/condition.ts';
import { writeCondition } from '../../core/scope/conditionText.ts';

/** A way on with what was typed. */
export interface Completion {
  /** The whole line, when it is taken. */
  readonly text: string;
  readonly shown: string;
  readonly note: string;
  /** Whether the line then says all that it must. */
  readonly complete: boolean;
}

const MOST = 10;
/** What stands between a field and its value. */
const WORDS = [
  ['is', 'one of some values'],
  ['is not', ''],
  ['over', 'for numbers and durations'],
  ['under', 'for numbers and durations'],
  ['contains', 'a part of a text'],
  ['exists', ''],
  ['is missing', ''],
] as const;

/** How a line may go on: a field, then a word, then one of the field's values. The last condition of the line is meant. */
export function completions(line: string, fields: FieldList['fields']): Completion[] {
  const { before, part } = lastPart(line);
  const valued = /^([A-Za-z_][\w.:/-]*)\s+(is not|is)\s+(.*)$/.exec(part) ?? /^([A-Za-z_][\w.:/-]*)\s*(!=|=)\s*(.*)$/.exec(part);
  if (valued) {
    const [, name, word, typed] = valued;
    const operator = word === 'is not' || word === '!=' ? 'is not' : 'is';
    return (fields.find(({ field }) => field === name)?.values ?? [])
      .filter(({ value }) => value.toLowerCase().includes(typed.toLowerCase()))
      .slice(0, MOST)
      .map(({ value, count }) => ({
        text: before + writeCondition(condition(name, operator, value)),
        shown: value === '' ? '(empty)' : value,
        note: `${formatCount(count)} requests`,
        complete: true,
      }));
  }
  const named = /^([A-Za-z_][\w.:/-]*)\s+(\w*)$/.exec(part);
  if (named) {
    const [, name, word] = named;
    return WORDS.filter(([it]) => it.startsWith(word.toLowerCase())).map(([it, note]) => ({
      text: `${before}${name} ${it}${it === 'exists' || it === 'is missing' ? '' : ' '}`,
      shown: it,
      note,
      complete: it === 'exists' || it === 'is missing',
    }));
  }
  const sought = part.trim().toLowerCase();
  if (sought === '') return [];
  const known: Completion[] = [
    ...OWN_FIELDS.filter((it) => it.includes(sought)).map((it) => offered(it, 'of every request')),
    ...fields
      .filter(({ field }) => field.toLowerCase().includes(sought))
      .map(({ field, distinct, many }) =>
        offered(field, many ? 'a value a request' : `${distinct} ${distinct === 1 ? 'value' : 'values'}`),
      ),
    ...fields.flatMap(({ field, values }) =>
      values
        .filter(({ value }) => value.toLowerCase().includes(sought))
        .map(({ value, count }) => ({
          text: before + writeCondition(condition(field, 'is', value)),
          shown: `${field} is ${value}`,
          note: `${formatCount(count)} requests`,
          complete: true,
        })),
    ),
  ];
  return known.slice(0, MOST);

  function offered(field: string, note: string): Completion {
    return { text: `${before}${field} `, shown: field, note, complete: false };
  }
}

/** The last condition of a line, and all before it. Within a pattern, what stands after its last "and", "above" or "where". */
function lastPart(line: string): { before: string; part: string } {
  const match = /^(.*(?:;|\band\b|\babove\b|\bwhere\b)\s*)?([^;]*)$/i.exec(line);
  return { before: match?.[1] ?? '', part: match?.[2] ?? line };
}
