import { z } from 'zod';
import { CASE_STATES, type CaseContent, IMPACT_FIELDS, type Impact, STANDINGS } from '../../core/casebook/caseContent.ts';
import { PIN_KINDS, type Pin, type PinKind } from '../../core/casebook/pin.ts';
import { parseCondition, splitConditions } from '../../core/scope/conditionText.ts';
import { evidenceSchema } from './evidenceSchema.ts';

const time = z.number().min(0).max(8.64e15).meta({ description: 'Epoch milliseconds.' });
const id = z.string().min(1).max(60);
const ids = z.array(id).max(40);
const line = z.string().max(2_000);
const list = <Of extends z.ZodType>(of: Of) => z.array(of).max(500);

/** A path within the application. A second slash or a backslash would lead to another host. */
export const pathWithin = z
  .string()
  .max(8_000)
  .regex(/^\/(?![/\\])[^\s\\]*$/, 'not an address within the application');

export const whereText = z
  .string()
  .max(2_000)
  .refine((text) => splitConditions(text).every((it) => typeof parseCondition(it) !== 'string'), 'no list of conditions');

export const impactSchema = z.object(
  Object.fromEntries(IMPACT_FIELDS.map((field) => [field, z.number().nullable()])) as Record<
    (typeof IMPACT_FIELDS)[number],
    z.ZodNullable<z.ZodNumber>
  >,
) satisfies z.ZodType<Impact>;

/** What people write in a case. */
export const contentSchema = z.object({
  title: z.string().max(300),
  state: z.enum(CASE_STATES),
  since: time.nullable(),
  until: time.nullable(),
  where: whereText.meta({ description: 'The condition that leaves the requests that it is about; empty for all.' }),
  countsRequests: z.boolean().default(true).meta({ description: 'Whether its impact is that of the requests of its time.' }),
  visitsOf: z
    .string()
    .max(200)
    .default('')
    .meta({ description: 'The application whose visits are counted where requests are not; empty for none.' }),
  keptBy: z.string().max(100),
  team: z.string().max(200),
  notes: z.string().max(200_000).meta({ description: 'Markdown.' }),
  helped: line,
  words: z
    .string()
    .max(200_000)
    .meta({ description: 'Markdown that takes the place of the generated hand-over; empty for none.' }),
  impact: z
    .partialRecord(z.enum(IMPACT_FIELDS), z.number())
    .meta({ description: 'What people set instead of what is worked out.' }),
  amountKey: z.string().max(200),
  incidents: z.array(z.int().positive()).max(500),
  entries: list(z.object({ id, at: time, page: z.string().max(100), text: line, pins: ids, by: z.string().max(100) })),
  hypotheses: list(
    z.object({ id, order: z.number(), text: line, standing: z.enum(STANDINGS), reason: line, for: ids, against: ids }),
  ),
  asked: list(z.object({ id, order: z.number(), text: line })),
  marks: list(z.object({ id, at: time, text: line })),
}) satisfies z.ZodType<CaseContent>;

export const scopeSchema = z.object({
  from: time,
  to: time,
  before: z.object({ from: time, to: time }).nullable(),
  where: z.string().max(8_000),
});

export const pinSchema = z.object({
  id,
  kind: z.enum(Object.keys(PIN_KINDS) as [PinKind, ...PinKind[]]),
  title: z.string().max(300),
  at: time,
  by: z.string().max(100),
  scope: scopeSchema,
  path: pathWithin,
  evidence: z.array(evidenceSchema).max(20),
  about: z.array(z.string().max(300)).max(100),
  rawBytes: z.int().min(0),
}) satisfies z.ZodType<Pin>;

export const stepSchema = z.object({ at: time, by: z.string().max(100), path: pathWithin, title: z.string().max(300) });

export const CASE_FILE = 'lantern.case';

/** A case as a file, whole: what people wrote, the frozen evidence, the steps. */
export const caseFileSchema = z.object({
  format: z.literal(CASE_FILE),
  version: z.literal(1),
  written: time,
  content: contentSchema,
  worked: impactSchema.nullable(),
  pins: z
    .array(
      pinSchema.extend({ asked: z.object({ query: z.record(z.string(), z.string()), part: z.record(z.string(), z.string()) }) }),
    )
    .max(200),
  steps: z.array(stepSchema).max(1_000),
});

const handOverHypothesis = z.object({
  text: line,
  standing: z.enum(STANDINGS),
  reason: line,
  for: z.array(z.int()),
  against: z.array(z.int()),
});

export const HAND_OVER_FILE = 'lantern.hand-over';

/** A hand-over as JSON. */
export const handOverSchema = z.object({
  number: z.int(),
  link: z.string(),
  writtenAt: time,
  zone: z.string(),
  title: z.string(),
  team: z.string(),
  state: z.string(),
  since: time.nullable(),
  until: time.nullable(),
  where: z.string(),
  impact: impactSchema,
  amountOf: z.string(),
  visitsOf: z.string().meta({ description: 'The application whose visits the impact is of; empty for requests.' }),
  impactSet: z.array(z.string()),
  keptBy: z.string(),
  log: z.array(z.object({ at: time, page: z.string(), text: line, by: z.string(), figures: z.array(z.int()) })),
  figures: z.array(
    z.object({
      number: z.int(),
      id,
      kind: z.string(),
      title: z.string(),
      at: time,
      scope: scopeSchema,
      link: z.string(),
      evidence: z.array(evidenceSchema),
    }),
  ),
  hypotheses: z.array(handOverHypothesis),
  ruledOut: z.array(handOverHypothesis),
  asked: z.array(line),
  notes: z.string(),
  helped: z.string(),
  steps: z.array(z.object({ at: time, title: z.string(), link: z.string() })),
  words: z.string(),
});

/** The hand-over as a file, with the raw answers that its figures were made from where they were asked for. */
export const handOverFileSchema = handOverSchema.extend({
  format: z.literal(HAND_OVER_FILE),
  version: z.literal(1),
  raw: z.record(z.string(), z.unknown()).optional().meta({ description: 'By the number of the figure.' }),
});
