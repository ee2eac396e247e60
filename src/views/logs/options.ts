import { readTexts, writeTexts } from '../../ui/state/addressedTexts.ts';
import type { AddressedOptions } from '../../ui/state/usePageOptions.ts';

/** What is looked at of the lines; all of it stands in the address. */
export interface LogOptions {
  readonly text: string;
  /** Ranges of severity; all when empty. */
  readonly severity: readonly string[];
  /** Shapes by id: only these, and none of those. */
  readonly shape: readonly string[];
  readonly without: readonly string[];
  readonly as: 'shapes' | 'lines';
  readonly order: 'newest' | 'oldest';
  readonly sort: 'new' | 'moved' | 'most';
  /** The shape that is opened, and the line that is chosen. */
  readonly open: string;
  readonly line: string;
  readonly wrap: boolean;
  /** Fields that the list of lines has columns for. */
  readonly columns: readonly string[];
}

export const ADDRESSED: AddressedOptions<LogOptions> = {
  names: ['text', 'severity', 'shape', 'without', 'as', 'order', 'sort', 'open', 'line', 'wrap', 'columns'],
  read: (parameters) => ({
    text: parameters.get('text') ?? '',
    severity: readTexts(parameters.get('severity')),
    shape: readTexts(parameters.get('shape')),
    without: readTexts(parameters.get('without')),
    as: parameters.get('as') === 'lines' ? 'lines' : 'shapes',
    order: parameters.get('order') === 'oldest' ? 'oldest' : 'newest',
    sort: parameters.get('sort') === 'moved' ? 'moved' : parameters.get('sort') === 'most' ? 'most' : 'new',
    open: parameters.get('open') ?? '',
    line: parameters.get('line') ?? '',
    wrap: parameters.get('wrap') === 'yes',
    columns: readTexts(parameters.get('columns')),
  }),
  write: ({ text, severity, shape, without, as, order, sort, open, line, wrap, columns }) => ({
    text: text || undefined,
    severity: writeTexts(severity),
    shape: writeTexts(shape),
    without: writeTexts(without),
    as: as === 'shapes' ? undefined : as,
    order: order === 'newest' ? undefined : order,
    sort: sort === 'new' ? undefined : sort,
    open: open || undefined,
    line: line || undefined,
    wrap: wrap ? 'yes' : undefined,
    columns: writeTexts(columns),
  }),
};

/** What the server is asked for. */
export function questionOf({ text, severity, shape, without }: LogOptions): Record<string, string> {
  const question: Record<string, string> = {};
  if (text !== '') question.text = text;
  if (severity.length > 0) question.severity = severity.join(',');
  if (shape.length > 0) question.shape = shape.join(',');
  if (without.length > 0) question.without = without.join(',');
  return question;
}
