import { z } from 'zod';
import { type Evidence, UNITS } from '../../core/casebook/evidence/evidence.ts';

const unit = z.enum(UNITS).meta({
  description: 'Durations are nanoseconds, times epoch milliseconds, rates a second, shares of one.',
});
const text = z.string().max(100_000);
const name = z.string().max(2_000);
const number = z.number();
const maybe = number.nullable();
const cell = z.union([text, number, z.null()]);
const rows = <Of extends z.ZodType>(of: Of, most = 2_000) => z.array(of).max(most);
const distribution = rows(z.tuple([number, number])).meta({
  description: 'Bucket (sixteenths of an octave of nanoseconds) and count.',
});

const spread = z.object({ form: z.literal('spread'), title: name, before: distribution, lit: distribution });
const series = z.object({
  form: z.literal('series'),
  title: name,
  unit,
  from: number,
  stepMs: number.positive(),
  lines: rows(z.object({ name, role: z.enum(['lit', 'before', 'part', 'limit']), values: rows(maybe) }), 60),
  lit: z.object({ from: number, to: number }).nullable(),
});
const table = z.object({
  form: z.literal('table'),
  title: name,
  columns: rows(z.object({ title: name, unit }), 60),
  rows: rows(rows(cell, 60)),
  leftOut: number,
});
const parts = z.object({
  form: z.literal('parts'),
  title: name,
  unit,
  whole: maybe,
  parts: rows(z.object({ name, note: name, kind: z.string().max(40), value: number, before: maybe })),
});
const figures = z.object({
  form: z.literal('figures'),
  title: name,
  figures: rows(z.object({ name, unit, lit: maybe, before: maybe, note: name }), 200),
});
const lines = z.object({
  form: z.literal('lines'),
  title: name,
  lines: rows(z.object({ at: number, severity: z.string().max(40), service: name, text, marked: z.boolean() })),
});
const stack = z.object({
  form: z.literal('stack'),
  title: name,
  frames: rows(z.object({ text: z.string().max(4_000), own: z.boolean() })),
  note: name,
});
const tree = z.object({
  form: z.literal('tree'),
  title: name,
  unit,
  nodes: rows(z.object({ depth: z.int().min(0).max(100), name, note: name, value: maybe, starts: z.boolean() })),
});
const timeline = z.object({
  form: z.literal('timeline'),
  title: name,
  durationNs: number,
  spans: rows(
    z.object({
      depth: z.int().min(0).max(10_000),
      service: name,
      name,
      startNs: number,
      durationNs: number,
      failed: z.boolean(),
      path: rows(z.tuple([number, number])),
    }),
  ),
  leftOut: number,
});
const flame = z.object({
  form: z.literal('flame'),
  title: name,
  unit,
  calls: rows(z.object({ name, parent: z.int().min(-1), own: z.boolean(), lit: number, before: number })),
});
const written = z.object({ form: z.literal('text'), title: name, text: z.string().max(500_000) });
const facts = z.object({ form: z.literal('facts'), title: name, facts: rows(z.tuple([name, text]), 500) });

/** A frozen copy of something that a page showed. */
export const evidenceSchema = z.discriminatedUnion('form', [
  spread,
  series,
  table,
  parts,
  figures,
  lines,
  stack,
  tree,
  timeline,
  flame,
  written,
  facts,
]) satisfies z.ZodType<Evidence, unknown>;
