import { z } from 'zod';
import { LogSummary, type Side, type SummaryFrame, type ValueCounts } from '../../core/logs/logSummary.ts';
import { SEVERITIES, severityOf } from '../../core/logs/severity.ts';
import { type ShapeState, shapeChanges } from '../../core/logs/shapeChange.ts';
import { piecesOf, templateText } from '../../core/logs/template.ts';
import { eachLine, type LineScope } from '../../store/logs/logLines.ts';
import type { StoredShapes } from '../../store/logs/shapes.ts';
import { expectReadings } from '../../store/scope/progress.ts';

export const valuesAnswer = z.object({
  distinct: z.number().meta({ description: 'Different values; a lower bound when `many`.' }),
  many: z.boolean(),
  top: z.array(z.object({ value: z.string(), lit: z.number(), before: z.number() })),
});

export const shapeAnswer = z.object({
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
  holes: z.array(valuesAnswer).meta({ description: 'By hole the values of a sample of its lines.' }),
  joined: z.array(z.string()).meta({ description: 'Shapes that somebody counts together as this one, as text.' }),
  apartOf: z.string().nullable().meta({ description: 'The shape that somebody told it apart of, as text.' }),
  toldApart: z.int().meta({ description: 'How many shapes somebody told apart of it.' }),
});

/** Lines of two windows, counted. */
export interface ReadSummary {
  readonly summary: LogSummary;
  readonly shapes: StoredShapes;
  readonly frame: SummaryFrame;
  /** Stretches of ten minutes whose newest lines are left out. */
  readonly building: number;
  /** Records that could not be brought in order of time. */
  readonly leftOut: number;
}

/** Counts the lines of two scopes. Where shapes became others meanwhile, they are counted again: what was read is in memory by then. */
export async function readSummary(lit: LineScope, before: LineScope, signal?: AbortSignal): Promise<ReadSummary> {
  const frame = frameOf(lit, before);
  expectReadings(2);
  for (let attempt = 1; ; attempt++) {
    const summary = new LogSummary(frame);
    let shapes!: StoredShapes;
    const read = async (side: Side, scope: LineScope) => {
      const { building, leftOut } = await eachLine(
        scope,
        ({ segment, from, rows }) => {
          summary.add(side, segment, Number(from / 1_000_000n), rows, (id) => {
            const counted = shapes.counts.countedAs(id);
            const own = shapes.counts.own(id) ?? [''];
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
      return { building, leftOut };
    };
    const [now, then] = [await read('lit', lit), await read('before', before)];
    const isSettled = [...summary.shapes.keys()].every((id) => shapes.counts.countedAs(id) === id);
    if (isSettled || attempt === MOST_ATTEMPTS)
      return { summary, shapes, frame, building: now.building + then.building, leftOut: now.leftOut + then.leftOut };
  }
}

const MOST_ATTEMPTS = 3;
const STRETCHES = 48;
const MOST_STRETCHES = 480;
const MOST_TOP = 6;

function frameOf(lit: LineScope, before: LineScope): SummaryFrame {
  const [litFrom, litTo] = [Number(lit.from / 1_000_000n), Number(lit.to / 1_000_000n)];
  const [beforeFrom, beforeTo] = [Number(before.from / 1_000_000n), Number(before.to / 1_000_000n)];
  // A window before that is much longer makes no more stretches than can be held for each shape.
  const stepMs = Math.max(1_000, (litTo - litFrom) / STRETCHES, (beforeTo - beforeFrom) / MOST_STRETCHES);
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
export function describeShapes({ shapes }: LogSummary, stored: StoredShapes, { litFrom }: SummaryFrame) {
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
      const { template = [''], coarse = false, firstNs = 0n, apartOf } = stored.shapes.get(id) ?? {};
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
        joined: stored.counts.joinedAs(id).map((it) => templateText(stored.counts.template(it) ?? [''])),
        apartOf: apartOf ? templateText(stored.counts.template(apartOf) ?? ['']) : null,
        toldApart: stored.counts.apartOf(id).length,
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

export function describeValues({ values: counts, others }: ValueCounts) {
  return {
    distinct: counts.size,
    many: others[0] + others[1] > 0,
    top: [...counts]
      .sort(([, a], [, b]) => b[0] - a[0] || b[1] - a[1])
      .slice(0, MOST_TOP)
      .map(([value, [lit, before]]) => ({ value, lit, before })),
  };
}
