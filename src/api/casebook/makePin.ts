import { randomUUID } from 'node:crypto';
import { z } from 'zod';
import { putMember, readCase } from '../../core/casebook/doc/caseDoc.ts';
import { GIVEN_KINDS, type GivenKind, PIN_KINDS, type PinKind, type PinScope } from '../../core/casebook/pin.ts';
import { plainInMarkdown } from '../../core/markdown/markdownText.ts';
import { pathWithin } from '../../formats/casebook/caseSchema.ts';
import { evidenceSchema } from '../../formats/casebook/evidenceSchema.ts';
import { storable } from '../../formats/otlp/attributes/attributes.ts';
import { CaseRefused, changeCase } from '../../store/casebook/cases.ts';
import { keepPin, type PinAsked } from '../../store/casebook/pins.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { ApiError } from '../endpoint.ts';
import { type Frozen, NothingToPin } from './pins/pinSource.ts';
import { PIN_SOURCES } from './pins/pinSources.ts';
import { leftOutWords, wholeAnswer } from './wholeAnswer.ts';

const shortText = z.string().max(300).transform(storable);
const values = z
  .record(z.string().max(60), z.string().max(8_000).transform(storable))
  .refine((it) => Object.keys(it).length <= 40, '40 values at most');

export const kindText = z.enum(Object.keys(PIN_KINDS) as [PinKind, ...PinKind[]]);
export const personName = z.string().trim().max(100).transform(storable).default('');

/** What is asked to be pinned. */
export const pinRequest = z.strictObject({
  kind: kindText,
  query: values.meta({ description: 'What the page asked: the parameters of the endpoint that this kind is made from.' }),
  part: values
    .default({})
    .meta({ description: 'Which part of the answer is meant: `rows`, ids separated by line ends, and the like.' }),
  path: pathWithin.meta({ description: 'The page, path and query.' }),
  page: shortText.default('').meta({ description: 'What the page is called.' }),
  words: z
    .string()
    .max(1_000)
    .transform(storable)
    .default('')
    .meta({ description: 'What the page said of it; the caption by default.' }),
  hypothesis: z
    .string()
    .max(1_000)
    .transform(storable)
    .default('')
    .meta({ description: 'A lead that it speaks for; it becomes a hypothesis of the case.' }),
  given: z.array(evidenceSchema).max(4).default([]).meta({
    description: 'Of a picture or table: what the page had drawn. Of other kinds nothing: they are asked for anew.',
  }),
});
export type PinRequest = z.output<typeof pinRequest>;

/** What was asked and what it becomes when it is frozen. */
export interface FrozenAnswer {
  readonly frozen: Frozen;
  readonly scope: PinScope;
  /** The answer, JSON. */
  readonly raw: string;
}

function isGiven(kind: PinKind): kind is GivenKind {
  return GIVEN_KINDS.some((it) => it === kind);
}

/** Asks what a pin is of and freezes the answer. @throws ApiError when it cannot be asked, or is no longer there */
export async function freeze(kind: PinKind, { query, part }: PinAsked): Promise<FrozenAnswer> {
  if (isGiven(kind)) throw new ApiError(400, 'This was copied as the page had drawn it. Open the page to see it now.');
  const { endpoint, freeze } = PIN_SOURCES[kind];
  const { json: raw, leftOut } = await wholeAnswer(endpoint, query);
  try {
    const frozen = freeze(JSON.parse(raw), part, query);
    const missing = leftOutWords(leftOut);
    return {
      // Proof that is of a part says so for good.
      frozen:
        missing === ''
          ? frozen
          : { ...frozen, evidence: [...frozen.evidence, { form: 'facts', title: 'Left out', facts: [['left out', missing]] }] },
      scope: await scopeOf(endpoint.query, query),
      raw,
    };
  } catch (error) {
    if (error instanceof NothingToPin) throw new ApiError(404, error.message);
    throw error;
  }
}

const windowOnly = z.object(comparisonParameters);

/** What the page had drawn, as it is. */
async function given({ given: evidence, query, words }: PinRequest): Promise<FrozenAnswer> {
  if (evidence.length === 0) throw new ApiError(400, 'given: a picture or table needs what was drawn');
  return {
    frozen: { title: evidence[0].title || words, evidence, about: [] },
    scope: await scopeOf(windowOnly, query),
    raw: '',
  };
}

/** Pins something to a case: the frozen copy and an entry of the log, both or neither. */
export async function makePin(
  caseId: number,
  by: string,
  request: PinRequest,
  now: number,
): Promise<{ id: string; title: string }> {
  const { frozen, scope, raw } = isGiven(request.kind) ? await given(request) : await freeze(request.kind, request);
  const id = randomUUID();
  const title = frozen.title.slice(0, 300);
  const entry = {
    id: randomUUID(),
    at: now,
    page: request.page,
    text: plainInMarkdown(request.words || title),
    pins: [id],
    by,
  };
  const changed = await understood(() =>
    changeCase(
      caseId,
      (doc) => {
        putMember(doc, 'entries', entry);
        if (request.hypothesis === '') return;
        const orders = readCase(doc).hypotheses.map(({ order }) => order);
        putMember(doc, 'hypotheses', {
          id: randomUUID(),
          order: Math.max(0, ...orders) + 1,
          text: plainInMarkdown(request.hypothesis),
          standing: 'open',
          reason: '',
          for: [id],
          against: [],
        });
      },
      { by, origin: 'server' },
      async (on) => {
        await keepPin(
          caseId,
          {
            id,
            kind: request.kind,
            title,
            at: now,
            by,
            scope,
            path: request.path,
            asked: { query: request.query, part: request.part },
            evidence: frozen.evidence,
            about: [...new Set(frozen.about)].slice(0, 100),
            raw,
          },
          on,
        );
      },
    ),
  );
  if (!changed) throw noCase(caseId);
  return { id, title };
}

export function noCase(id: number): ApiError {
  return new ApiError(404, `There is no case ${id}. It may have been deleted more than a day ago.`);
}

/** What a person can mend is said as such. */
export async function understood<Of>(work: () => Promise<Of>): Promise<Of> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof CaseRefused) throw new ApiError(400, error.message);
    throw error;
  }
}

/** The windows that a question is of; the moment when it is of none. */
async function scopeOf(parameters: z.ZodObject, query: Readonly<Record<string, string>>): Promise<PinScope> {
  const read = parameters.safeParse({ ...query });
  if (!read.success) throw new ApiError(400, `query: ${read.error.issues[0].message}`);
  const asked = read.data as Record<string, unknown>;
  const where = query.where ?? '';
  if (typeof asked.from !== 'bigint' || typeof asked.to !== 'bigint') {
    const at = typeof asked.at === 'bigint' ? Number(asked.at / 1_000_000n) : Date.now();
    return { from: at, to: at, before: null, where };
  }
  const from = Number(asked.from / 1_000_000n);
  const to = Number(asked.to / 1_000_000n);
  if (typeof asked.before !== 'string') return { from, to, before: null, where };
  const { before } = await windowsOf(asked as Parameters<typeof windowsOf>[0]);
  return { from, to, before: { from: Number(before.from / 1_000_000n), to: Number(before.to / 1_000_000n) }, where };
}
