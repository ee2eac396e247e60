import { z } from 'zod';
import { condition } from '../../core/scope/condition.ts';
import { writeCondition } from '../../core/scope/conditionText.ts';
import { isQuestion, namesIn } from '../../core/scope/question.ts';
import { readTraceReference } from '../../core/scope/traceReference.ts';
import { parseSpanId } from '../../core/trace/span.ts';
import { storable } from '../../formats/otlp/attributes/attributes.ts';
import { allOperations } from '../../store/dictionaries/dictionaries.ts';
import { findValue } from '../../store/requests/findValue.ts';
import { type Found, facetValuesLike, findInSpans, isKept, requestsOf, traceOfSpan } from '../../store/scope/findText.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';
import { endpoint } from '../endpoint.ts';

const hit = z.object({
  kind: z.enum(['trace', 'span', 'user', 'session', 'journey', 'service', 'operation', 'value', 'error']),
  words: z.string().meta({ description: 'What it was taken for.' }),
  path: z.string().meta({ description: 'The page it leads to.' }),
  where: z.string().meta({ description: 'The condition it narrows to; empty for none.' }),
  span: z.string().meta({ description: 'The span to show in a trace; empty for none.' }),
  text: z.string().meta({ description: 'The text that the page is to look for; empty for none.' }),
  requests: z.int().nullable(),
  from: z.number().nullable().meta({ description: 'First and last request, epoch milliseconds; the window must hold them.' }),
  to: z.number().nullable(),
});

export type AskHit = z.output<typeof hit>;
export type AskAnswer = z.output<typeof askAnything.answer>;

const MOST_OF_A_KIND = 6;

export const askAnything = endpoint({
  path: '/api/ask',
  least: 'reader',
  summary: 'What a pasted or typed text may be: an id, a header, a user, a session, a name, a value, a piece of an error.',
  runs: 'analysis',
  query: z.strictObject({
    text: z.string().transform((text) => storable(text).trim().slice(0, 400)),
    deep: z.enum(['true', 'false']).default('false').meta({ description: 'true: all stored spans are searched.' }),
  }),
  answer: z.object({
    hits: z.array(hit),
    words: z.string().meta({ description: 'What was looked through, or why nothing was found.' }),
  }),
  run: async ({ text, deep }) => {
    if (text === '') return { hits: [], words: '' };
    const reference = readTraceReference(text);
    if (reference) {
      const kept = await isKept(reference.traceId);
      const words = kept ? 'a trace id' : '';
      return kept
        ? {
            hits: [
              plain('trace', `trace ${reference.traceId}`, `/traces/${reference.traceId}`, { span: reference.spanId ?? '' }),
            ],
            words,
          }
        : { hits: [], words: `Read as a trace id, but no span of ${reference.traceId} is kept.` };
    }
    const spanId = parseSpanId(text);
    if (spanId && deep === 'true') {
      const traceId = await traceOfSpan(spanId);
      if (traceId) return { hits: [plain('span', `span ${spanId}`, `/traces/${traceId}`, { span: spanId })], words: 'a span id' };
    }
    if (isQuestion(text)) return whatFits(text);
    const hits = await named(text);
    if (deep === 'false' && mayIdentify(text)) hits.push(...(await identified(text)));
    if (deep === 'false') return { hits, words: '' };
    const { found, complete } = await findInSpans(text);
    for (const it of found.slice(0, MOST_OF_A_KIND)) {
      const isError = it.key.startsWith('exception.') || it.key === 'status message';
      const words = it.whole ? `${it.key} is ${text}` : `${it.key} contains "${text}"`;
      hits.push({
        kind: isError ? 'error' : 'value',
        words,
        path: isError ? '/now/failures' : '/traces',
        where: isError ? '' : writeCondition(condition(it.key, it.whole ? 'is' : 'contains', text)),
        span: '',
        text: isError ? text : '',
        ...spanOf(it),
      });
    }
    // What was found in the spans says more of a condition than its name does.
    const seen = new Set(hits.filter((it) => it.requests !== null).map((it) => it.where));
    const told = hits.filter((it) => it.requests !== null || it.where === '' || !seen.has(it.where));
    const words = complete ? '' : 'Only the latest spans with this text were looked at.';
    return { hits: told, words: told.length === 0 ? 'No stored span contains this text.' : words };
  },
});

/** A reference or an id: one word with a digit in it. */
function mayIdentify(text: string): boolean {
  return text.length >= 4 && !/\s/.test(text) && /\d/.test(text);
}

/** Requests that have the text as the value of an attribute that identifies. */
async function identified(text: string): Promise<AskHit[]> {
  const { found, complete } = await findValue(text);
  return found.slice(0, MOST_OF_A_KIND).map((it) => {
    const hit = { ...plain('value', `${it.key} is ${text}`, '/traces', { where: where(it.key, text) }), ...spanOf(it) };
    // A count of a part is none.
    return complete ? hit : { ...hit, requests: null };
  });
}

/** Questions are not answered; the pages of what they name are offered. */
async function whatFits(text: string): Promise<{ hits: AskHit[]; words: string }> {
  const [journeys, operations] = await Promise.all([namedJourneys(), allOperations()]);
  const services = [...new Set(operations.map((it) => it.service))];
  const hits: AskHit[] = [];
  for (const name of namesIn(
    text,
    journeys.map((it) => it.name),
  )) {
    const entry = writeCondition(condition('entry', 'is', ...journeys.find((it) => it.name === name)!.entries));
    hits.push(plain('journey', `${name}: how it is and since when`, '/now', { where: entry }));
    hits.push(plain('journey', `${name}: where its trouble starts`, '/map', { where: entry }));
  }
  for (const name of namesIn(text, services))
    hits.push(plain('service', `service ${name}`, `/services/${encodeURIComponent(name)}`));
  return {
    hits: hits.slice(0, MOST_OF_A_KIND),
    words: `Questions are not answered yet. ${hits.length > 0 ? 'These pages fit its words.' : 'Type a name, an id or a piece of an error.'}`,
  };
}

/** What has a name like the text: users and sessions by the whole name, the rest by a part of it. */
async function named(text: string): Promise<AskHit[]> {
  const lower = text.toLowerCase();
  const [user, session, journeys, operations, values] = await Promise.all([
    requestsOf('user', text),
    requestsOf('session', text),
    namedJourneys(),
    allOperations(),
    text.length >= 2 ? facetValuesLike(text, 2 * MOST_OF_A_KIND) : [],
  ]);
  const hits: AskHit[] = [];
  if (user) hits.push({ ...plain('user', `user ${text}`, '/traces', { where: where('user', text) }), ...spanOf(user) });
  if (session)
    hits.push({ ...plain('session', `session ${text}`, '/traces', { where: where('session', text) }), ...spanOf(session) });
  for (const it of journeys.filter(({ name }) => name.toLowerCase().includes(lower)).slice(0, MOST_OF_A_KIND))
    hits.push(plain('journey', it.name, '/traces', { where: writeCondition(condition('entry', 'is', ...it.entries)) }));
  const services = [...new Set(operations.map((it) => it.service))].filter((it) => it.toLowerCase().includes(lower)).sort();
  for (const it of services.slice(0, MOST_OF_A_KIND))
    hits.push(plain('service', `service ${it}`, `/services/${encodeURIComponent(it)}`));
  const seen = new Set<string>();
  for (const { service, name } of operations) {
    if (!name.toLowerCase().includes(lower) || seen.has(`${service} ${name}`) || seen.size >= MOST_OF_A_KIND) continue;
    seen.add(`${service} ${name}`);
    const both = [where('service', service), where('operation', name)].join(';');
    hits.push(plain('operation', `${service} ${name}`, '/traces', { where: both }));
  }
  for (const { key, value } of values.filter(({ key }) => key !== 'service.name').slice(0, MOST_OF_A_KIND))
    hits.push(plain('value', `${key} is ${value}`, '/traces', { where: where(key, value) }));
  return hits;
}

const where = (field: string, value: string) => writeCondition(condition(field, 'is', value));

function plain(kind: AskHit['kind'], words: string, path: string, more: { where?: string; span?: string } = {}): AskHit {
  return { kind, words, path, where: more.where ?? '', span: more.span ?? '', text: '', requests: null, from: null, to: null };
}

function spanOf({ requests, first, last }: Found): Pick<AskHit, 'requests' | 'from' | 'to'> {
  return { requests, from: Number(first / 1_000_000n), to: Number(last / 1_000_000n) };
}
