import { z } from 'zod';
import { LogSummary, type Side, type SummaryFrame, type ValueCounts } from '../../core/logs/logSummary.ts';
import { SEVERITIES, severityOf } from '../../core/logs/severity.ts';
import { type ShapeState, shapeChanges } from '../../core/logs/shapeChange.ts';
import { piecesOf } from '../../core/logs/template.ts';
import { eachLine } from '../../store/logs/logLines.ts';
import { countedAs, type StoredShapes } from '../../store/logs/shapes.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { comparisonParameters, describeWindow, type Window, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { lineParameters, lineScope } from './question.ts';

export type LogOverview = z.output<typeof logOverview.answer>;

const values = z.object({
  distinct: z.number().meta({ description: 'Different values; a lower bound when `many`.' }),
  many: z.boolean(),
  top: z.array(z.object({ value: z.string(), lit: z.number(), before: z.number() })),
});

export const logOverview = endpoint({
  path: '/api/logs',
  summary: 'What the lines of a window say, lit against before: counts by severity, message shapes, and the fields they carry.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, ...lineParameters }),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    stepMs: z.number(),
    total: z.object({ lit: z.number(), before: z.number() }),
    building: z
      .number()
      .meta({ description: 'Stretches of ten minutes whose newest lines are still being read; they are left out.' }),
    severities: z.array(z.object({ severity: z.enum(SEVERITIES), lit: z.array(z.number()), before: z.array(z.number()) })),
    shapes: z.array(
      z.object({
        id: z.string(),
        pieces: z.array(z.union([z.string(), z.object({ hole: z.number() })])),
        coarse: z.boolean().meta({ description: 'Lines were put into it because there are too many shapes.' }),
        state: z.enum(['new', 'burst', 'more', 'gone', 'fewer', 'rare', 'same']),
        times: z.number().nullable(),
        chance: z.number(),
        severity: z.enum(SEVERITIES),
        services: z.array(z.string()),
        lit: z.number(),
        before: z.number(),
        series: z.array(z.number()).meta({ description: 'Lines by stretch of the lit window.' }),
        beforeSeries: z.array(z.number()),
        firstAt: z.number().nullable().meta({ description: 'Its first line in the lit window, epoch milliseconds.' }),
        firstSeen: z.number().meta({ description: 'Its first line that is known at all.' }),
        holes: z.array(values).meta({ description: 'By hole the values of a sample of its lines.' }),
      }),
    ),
    shapesNotListed: z.object({ shapes: z.number(), lit: z.number(), before: z.number() }),
    fields: z.array(
      values.extend({ field: z.string(), state: z.enum(['new', 'moved', 'flat']), lit: z.number(), before: z.number() }),
    ),
    changes: z.array(z.object({ at: z.number(), title: z.string(), service: z.string() })),
  }),
  run: async ({ text, severity, shape, without, ...query }, { signal }) => {
    const { lit, before } = await windowsOf(query);
    const asked = { text, severity, shape, without };
    const frame = frameOf(lit, before);
    const summary = new LogSummary(frame);
    let shapes!: StoredShapes;
    const read = async (side: Side, window: Window) => {
      const { building } = await eachLine(
        lineScope(window, asked),
        ({ segment, from, rows }) => {
          summary.add(side, segment, Number(from / 1_000_000n), rows, (id) => {
            const counted = countedAs(shapes, id);
            const own = shapes.shapes.get(id)?.template ?? [''];
            return { id: counted, own, template: shapes.shapes.get(counted)?.template ?? own };
          });
          return undefined;
        },
        {
          signal,
          onShapes: (it) => {
            shapes = it;
          },
        },
      );
      return building;
    };
    const building = (await read('lit', lit)) + (await read('before', before));
    const changes = await changesBetween(lit.from, lit.to);
    const described = describeShapes(summary, shapes, frame);
    const listed = described.slice(0, MOST_SHAPES);
    const others = described.slice(MOST_SHAPES);
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      stepMs: frame.stepMs,
      total: summary.totals,
      building,
      severities: SEVERITIES.flatMap((it) => {
        const counts = summary.severities.get(it);
        return counts ? [{ severity: it, lit: [...counts.lit], before: [...counts.before] }] : [];
      }),
      shapes: listed,
      shapesNotListed: {
        shapes: others.length,
        lit: others.reduce((sum, it) => sum + it.lit, 0),
        before: others.reduce((sum, it) => sum + it.before, 0),
      },
      fields: describeFields(summary),
      changes: changes.map(({ at, title, service }) => ({ at, title, service })),
    };
  },
});

const STRETCHES = 48;
const MOST_SHAPES = 200;
const MOST_TOP = 6;

function frameOf(lit: Window, before: Window): SummaryFrame {
  const [litFrom, litTo] = [Number(lit.from / 1_000_000n), Number(lit.to / 1_000_000n)];
  const [beforeFrom, beforeTo] = [Number(before.from / 1_000_000n), Number(before.to / 1_000_000n)];
  const stepMs = Math.max(1_000, (litTo - litFrom) / STRETCHES);
  return {
    stepMs,
    litFrom,
    litStretches: Math.max(1, Math.ceil((litTo - litFrom) / stepMs)),
    beforeFrom,
    beforeStretches: Math.max(1, Math.ceil((beforeTo - beforeFrom) / stepMs)),
  };
}

const RANK: Readonly<Record<ShapeState, number>> = { new: 0, burst: 1, more: 1, gone: 2, fewer: 3, rare: 4, same: 5 };

/** The shapes, those that say something new first. Of one kind the graver, then the more frequent first. */
function describeShapes({ shapes }: LogSummary, stored: StoredShapes, { litFrom }: SummaryFrame) {
  const all = [...shapes];
  const changes = shapeChanges(
    all.map(([id, { lit, before }]) => ({
      lit,
      before,
      isKnown: Number((stored.shapes.get(id)?.firstNs ?? 0n) / 1_000_000n) < litFrom,
    })),
  );
  return all
    .map(([id, sum], at) => {
      const { template = [''], coarse = false, firstNs = 0n } = stored.shapes.get(id) ?? {};
      const total = (of: Float64Array) => of.reduce((all, it) => all + it, 0);
      return {
        id,
        pieces: piecesOf(template),
        coarse,
        ...changes[at],
        severity: severityOf(sum.severity),
        services: [...sum.services].sort((a, b) => b[1] - a[1]).map(([name]) => name),
        lit: total(sum.lit),
        before: total(sum.before),
        series: [...sum.lit],
        beforeSeries: [...sum.before],
        firstAt: Number.isFinite(sum.firstLit) ? sum.firstLit : null,
        firstSeen: Number(firstNs / 1_000_000n),
        holes: sum.holes.map(describeValues),
        grave: sum.severity,
      };
    })
    .sort(
      (a, b) =>
        RANK[a.state] - RANK[b.state] ||
        groupOf(b.grave) - groupOf(a.grave) ||
        // Of about as many, the one that is said first: what others say comes of it.
        magnitude(b) - magnitude(a) ||
        a.firstSeen - b.firstSeen ||
        b.lit - a.lit,
    )
    .map(({ grave: _, ...it }) => it);
}

/** A half more is a step. */
function magnitude({ lit, before }: { readonly lit: number; readonly before: number }): number {
  return Math.round(Math.log(Math.max(1, lit + before)) / Math.log(1.5));
}

/** Warnings and worse before all else. */
function groupOf(severity: number): number {
  return severity >= 17 ? 2 : severity >= 13 ? 1 : 0;
}

function describeValues({ values: counts, others }: ValueCounts) {
  return {
    distinct: counts.size,
    many: others[0] + others[1] > 0,
    top: [...counts]
      .sort(([, a], [, b]) => b[0] - a[0] || b[1] - a[1])
      .slice(0, MOST_TOP)
      .map(([value, [lit, before]]) => ({ value, lit, before })),
  };
}

/** A share that moved by less than this is flat. */
const MOVED = 0.05;
const ENOUGH = 30;

function describeFields({ fields }: LogSummary) {
  const rank = { new: 0, moved: 1, flat: 2 };
  return [...fields]
    .map(([field, sum]) => {
      const all = [...sum.values.values(), sum.others];
      const lit = all.reduce((total, it) => total + it[0], 0);
      const before = all.reduce((total, it) => total + it[1], 0);
      return { field, ...describeValues(sum), lit, before, state: stateOf(sum, lit, before) };
    })
    .filter(({ lit, before }) => lit + before > 0)
    .sort((a, b) => rank[a.state] - rank[b.state] || b.lit - a.lit);
}

/** What was not there before, or has another share. A field whose values differ from line to line has no share to speak of. */
function stateOf({ values: counts, others }: ValueCounts, lit: number, before: number): 'new' | 'moved' | 'flat' {
  if (lit >= ENOUGH && before === 0) return 'new';
  if (lit < ENOUGH || before < ENOUGH || others[0] + others[1] > 0) return 'flat';
  const shares = [...counts.values()].map(([now, then]) => now / lit - then / before);
  return shares.some((it) => Math.abs(it) >= MOVED) ? 'moved' : 'flat';
}
