import type { Cell, Distribution, Evidence, EvidenceColumn } from './evidence.ts';

/** The table behind a piece of evidence. */
export interface EvidenceTable {
  readonly columns: readonly EvidenceColumn[];
  readonly rows: readonly (readonly Cell[])[];
  /** Rows beyond these. */
  readonly leftOut: number;
}

const PER_OCTAVE = 16;
/** Buckets that make one row of a distribution, a third of an octave. */
const STEP = 5;
const INDENT = '\u00a0\u00a0';

/** The same as data, for who does not see the picture, for Markdown and for CSV. */
export function tableOf(it: Evidence): EvidenceTable {
  switch (it.form) {
    case 'spread':
      return whole(
        [
          { title: 'at least', unit: 'duration' },
          { title: 'before', unit: 'count' },
          { title: 'lit', unit: 'count' },
        ],
        spreadRows(it.before, it.lit),
      );
    case 'series': {
      const steps = Math.max(0, ...it.lines.map(({ values }) => values.length));
      return whole(
        [{ title: 'time', unit: 'time' }, ...it.lines.map(({ name }) => ({ title: name, unit: it.unit }))],
        Array.from({ length: steps }, (_, at) => [it.from + at * it.stepMs, ...it.lines.map(({ values }) => values[at] ?? null)]),
      );
    }
    case 'table':
      return it;
    case 'parts':
      return whole(
        [
          { title: 'what', unit: 'text' },
          { title: '', unit: 'text' },
          { title: 'lit', unit: it.unit },
          ...(hasBefore(it.parts) ? [{ title: 'before', unit: it.unit }] : []),
          ...(it.whole === null ? [] : [{ title: 'share', unit: 'share' as const }]),
        ],
        it.parts.map(({ name, note, value, before }) => [
          name,
          note,
          value,
          ...(hasBefore(it.parts) ? [before] : []),
          ...(it.whole === null ? [] : [it.whole === 0 ? 0 : value / it.whole]),
        ]),
      );
    case 'figures':
      // Each row has a unit of its own, so that its numbers are told as text by who draws it.
      return whole(
        [
          { title: 'figure', unit: 'text' },
          { title: 'before', unit: 'number' },
          { title: 'lit', unit: 'number' },
          { title: 'unit', unit: 'text' },
        ],
        it.figures.map(({ name, before, lit, unit }) => [name, before, lit, UNIT_WORDS[unit]]),
      );
    case 'lines':
      return whole(
        [
          { title: 'time', unit: 'time' },
          { title: 'severity', unit: 'text' },
          { title: 'service', unit: 'text' },
          { title: 'line', unit: 'text' },
        ],
        it.lines.map(({ at, severity, service, text }) => [at, severity, service, text]),
      );
    case 'stack':
      return whole(
        [
          { title: 'frame', unit: 'text' },
          { title: 'own code', unit: 'text' },
        ],
        it.frames.map(({ text, own }) => [text, own ? 'own' : '']),
      );
    case 'tree':
      return whole(
        [
          { title: 'what', unit: 'text' },
          { title: '', unit: 'text' },
          { title: it.unit === 'duration' ? 'waits' : 'value', unit: it.unit },
        ],
        it.nodes.map(({ depth, name, note, value }) => [`${INDENT.repeat(depth)}${name}`, note, value]),
      );
    case 'timeline':
      return {
        columns: [
          { title: 'service', unit: 'text' },
          { title: 'span', unit: 'text' },
          { title: 'starts at', unit: 'duration' },
          { title: 'takes', unit: 'duration' },
          { title: 'of the critical path', unit: 'duration' },
          { title: '', unit: 'text' },
        ],
        rows: it.spans.map(({ depth, service, name, startNs, durationNs, path, failed }) => [
          `${INDENT.repeat(depth)}${service}`,
          name,
          startNs,
          durationNs,
          path.reduce((sum, [from, to]) => sum + to - from, 0),
          failed ? 'failed' : '',
        ]),
        leftOut: it.leftOut,
      };
    case 'flame':
      return whole(
        [
          { title: 'function', unit: 'text' },
          { title: 'before', unit: 'share' },
          { title: 'lit', unit: 'share' },
        ],
        flameRows(it.calls),
      );
    case 'text':
      return whole([{ title: it.title, unit: 'text' }], [[it.text]]);
    case 'facts':
      return whole(
        [
          { title: 'what', unit: 'text' },
          { title: 'value', unit: 'text' },
        ],
        it.facts.map(([name, value]) => [name, value]),
      );
  }
}

const UNIT_WORDS = {
  duration: 'ns',
  count: '',
  share: 'of one',
  rate: 'a second',
  bytes: 'bytes',
  number: '',
  time: 'epoch ms',
  text: '',
} as const;

function whole(columns: readonly EvidenceColumn[], rows: readonly (readonly Cell[])[]): EvidenceTable {
  return { columns, rows, leftOut: 0 };
}

function hasBefore(parts: readonly { readonly before: number | null }[]): boolean {
  return parts.some(({ before }) => before !== null);
}

function spreadRows(before: Distribution, lit: Distribution): Cell[][] {
  const rows = new Map<number, [number, number]>();
  for (const [side, of] of [before, lit].entries())
    for (const [bucket, count] of of) {
      const bin = Math.floor(bucket / STEP);
      const row = rows.get(bin) ?? [0, 0];
      row[side] += count;
      rows.set(bin, row);
    }
  return [...rows].sort(([a], [b]) => a - b).map(([bin, [up, down]]) => [Math.round(2 ** ((bin * STEP) / PER_OCTAVE)), up, down]);
}

function flameRows(calls: readonly { name: string; parent: number; lit: number; before: number }[]): Cell[][] {
  const depths: number[] = [];
  return calls.map(({ name, parent, lit, before }, at) => {
    depths[at] = parent < 0 ? 0 : depths[parent] + 1;
    return [`${INDENT.repeat(depths[at])}${name}`, before, lit];
  });
}
