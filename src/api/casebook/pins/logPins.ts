import { parseIso } from '../../../core/time/iso.ts';
import { attributeText } from '../../../core/trace/attributeText.ts';
import { logLine } from '../../logs/line.ts';
import { type LogLine, logLines } from '../../logs/lines.ts';
import { logOverview } from '../../logs/overview.ts';
import { logStitch } from '../../logs/stitch.ts';
import { about, firstOf, type PinSource, pinSource } from './pinSource.ts';

const MOST_LINES = 60;
const MOST_SHAPES = 30;
const MOST_FACTS = 100;
const LONGEST_LINE = 2_000;

const OFF_WORDS = { late: 'late', never: 'never came', twice: 'came twice', order: 'out of order' } as const;

export const LOG_PINS = {
  lines: pinSource(logLines, ({ lines, next }, { rows = '' }) => {
    const chosen = rows === '' ? lines : lines.filter(({ id }) => rows.split('\n').includes(id));
    const { shown } = firstOf(chosen, MOST_LINES);
    return {
      title: chosen.length > shown.length || next ? `The first ${shown.length} lines` : `${shown.length} lines`,
      about: [
        ...about(
          'service',
          shown.map(({ service }) => service),
        ),
        ...about(
          'shape',
          shown.map(({ shape }) => shape),
        ),
      ],
      evidence: [{ form: 'lines', title: 'Lines', lines: shown.map((it) => lineOf(it, false)) }],
    };
  }),

  line: pinSource(logLine, (it, _, { line = '' }) => ({
    title: `${it.service}: ${it.body}`.slice(0, 200),
    about: [
      ...about('service', [it.service]),
      ...about(
        'shape',
        it.around.filter(({ id }) => id === line).map(({ shape }) => shape),
      ),
    ],
    evidence: [
      {
        form: 'lines',
        title: 'The line, and those of the same instance around it',
        lines: it.around.map((one) => lineOf(one, one.id === line)),
      },
      {
        form: 'facts',
        title: 'Its record',
        facts: [
          ['time', it.at],
          ['severity', it.severityText || it.severity],
          ['body', it.body.slice(0, 8_000)],
          ...(it.traceId ? [['trace', it.traceId]] : []),
          ...Object.entries({ ...it.attributes, ...it.resource }).map(([name, value]) => [
            name,
            (attributeText(value) ?? '').slice(0, LONGEST_LINE),
          ]),
        ].slice(0, MOST_FACTS) as [string, string][],
      },
    ],
  })),

  shapes: pinSource(logOverview, ({ shapes, stepMs, litWindow }, { rows = '' }) => {
    const chosen =
      rows === '' ? shapes.filter(({ state }) => state !== 'same') : shapes.filter(({ id }) => rows.split('\n').includes(id));
    const { shown, leftOut } = firstOf(chosen.length > 0 ? chosen : shapes, MOST_SHAPES);
    const one = shown.length === 1 ? shown[0] : undefined;
    return {
      title: one ? `${one.services.join(', ')}: ${shapeText(one.pieces)}`.slice(0, 200) : 'Message shapes that changed',
      about: [
        ...about(
          'shape',
          shown.map(({ id }) => id),
        ),
        ...about(
          'service',
          shown.flatMap(({ services }) => services),
        ),
      ],
      evidence: [
        {
          form: 'table',
          title: 'Message shapes',
          columns: [
            { title: 'shape', unit: 'text' },
            { title: 'of', unit: 'text' },
            { title: 'severity', unit: 'text' },
            { title: '', unit: 'text' },
            { title: 'before', unit: 'count' },
            { title: 'lit', unit: 'count' },
            { title: 'first', unit: 'time' },
          ],
          rows: shown.map((it) => [
            shapeText(it.pieces),
            it.services.join(', '),
            it.severity,
            it.state === 'same' ? '' : it.state,
            it.before,
            it.lit,
            it.firstAt,
          ]),
          leftOut,
        },
        ...(one
          ? [
              {
                form: 'series' as const,
                title: 'Its lines over time',
                unit: 'count' as const,
                from: Date.parse(litWindow.from),
                stepMs,
                lit: null,
                lines: [
                  { name: 'before', role: 'before' as const, values: one.beforeSeries },
                  { name: 'lit', role: 'lit' as const, values: one.series },
                ],
              },
              ...one.holes.slice(0, 6).map((hole, at) => ({
                form: 'parts' as const,
                title: `What stands in the ${ordinal(at + 1)} hole`,
                unit: 'count' as const,
                whole: null,
                parts: hole.top.map(({ value, lit, before }) => ({ name: value, note: '', kind: '', value: lit, before })),
              })),
            ]
          : []),
      ],
    };
  }),

  groups: pinSource(logStitch, ({ steps, groups, off, threads, key }) => ({
    title: `${off} of ${groups} groups by ${key ?? 'no key'} are not as usual`,
    about: about(
      'service',
      steps.map(({ service }) => service),
    ),
    evidence: [
      {
        form: 'table',
        title: 'Steps',
        columns: [
          { title: 'step', unit: 'text' },
          { title: 'of', unit: 'text' },
          { title: 'usually after', unit: 'duration' },
          { title: 'late', unit: 'count' },
          { title: 'never', unit: 'count' },
          { title: 'twice', unit: 'count' },
          { title: 'out of order', unit: 'count' },
        ],
        rows: steps.map((it) => [
          shapeText(it.pieces),
          it.service,
          it.usual ? it.usual.median * 1e6 : null,
          it.late,
          it.never,
          it.twice,
          it.order,
        ]),
        leftOut: 0,
      },
      {
        form: 'table',
        title: 'Groups that are not as usual',
        columns: [
          { title: 'group', unit: 'text' },
          { title: 'began', unit: 'time' },
          { title: 'what', unit: 'text' },
        ],
        rows: threads
          .filter((it) => it.off.length > 0)
          .slice(0, MOST_LINES)
          .map((it) => [it.key, it.at, it.off.map(({ how, at }) => `step ${at + 1} ${OFF_WORDS[how]}`).join(', ')]),
        leftOut: Math.max(0, threads.filter((it) => it.off.length > 0).length - MOST_LINES),
      },
    ],
  })),
} satisfies Record<string, PinSource>;

function lineOf({ at, severity, service, text }: LogLine, marked: boolean) {
  return { at: Number((parseIso(at) ?? 0n) / 1_000_000n), severity, service, text: text.slice(0, LONGEST_LINE), marked };
}

function shapeText(pieces: readonly (string | { readonly hole: number })[]): string {
  return pieces
    .map((it) => (typeof it === 'string' ? it : '…'))
    .join('')
    .slice(0, 600);
}

function ordinal(at: number): string {
  return ['first', 'second', 'third', 'fourth', 'fifth', 'sixth'][at - 1] ?? `${at}th`;
}
