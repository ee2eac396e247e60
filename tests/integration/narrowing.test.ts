import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Condition, condition, isPattern, type Operator } from '../../src/core/scope/condition.ts';
import { writeCondition } from '../../src/core/scope/conditionText.ts';
import { formatIso } from '../../src/core/time/iso.ts';
import type { Attributes, AttributeValue, Span, TraceId } from '../../src/core/trace/span.ts';
import { encodeTracesProtobuf } from '../../src/formats/otlp/span/encodeProtobuf.ts';
import { type Installation, install } from '../support/installation.ts';
import { toOtlpJson } from '../support/made/otlpJson.ts';
import { randomFrom } from '../support/made/random.ts';
import { makeSpan } from '../support/made/traceMaker.ts';
import { getJson, JSON_TYPE, PROTOBUF, post } from '../support/sending.ts';

/*
 * What any narrowing leaves, held against a second evaluation that looks at every span: random traces, whole and broken, whose spans come in
 * any order, and random conditions of every field and operator.
 */

const SEED = 20_261_128;
const TRACES = 500;
const QUESTIONS = 130;
const { below, oneOf, shuffled } = randomFrom(SEED);

const SERVICES = ['gangway', 'holds', 'berths', 'fares'];
const NAMES = ['POST /holds', 'GET /sailings', 'find berth', 'price', 'SELECT berth'];
const ROUTES = ['tern-marram', 'tern-saltern', 'osier, "reach"; east', 'fähre ⛴', ''];
const MANY_BEGIN = 'OR';
const LONG = 'why it took so long: '.repeat(20);
const VERY_LONG = 'what was said about it: '.repeat(60);
const EARLIEST = BigInt(Math.floor(Date.now() / 60_000) * 60_000 - 3 * 3_600_000) * 1_000_000n;

const maybe = (share: number, attributes: () => Attributes): Attributes => (below(100) < share ? attributes() : {});

function attributesOf(number: number): Attributes {
  return {
    ...maybe(40, () => ({ 'ferry.route': oneOf(ROUTES) })),
    ...maybe(40, () => ({ 'ferry.party_size': oneOf<AttributeValue>([1, 2, 4, 4.5, 12, 'many', '']) })),
    ...maybe(20, () => ({ 'ferry.coach': oneOf([true, false]) })),
    ...maybe(15, () => ({ note: oneOf<AttributeValue>(['short', LONG, VERY_LONG, ['a', 'b'], null]) })),
    // A value a request.
    ...maybe(50, () => ({ 'booking.ref': `${MANY_BEGIN}${number}` })),
    ...maybe(20, () => ({ 'db.query.text': `SELECT * FROM ${oneOf(['berth', 'fare'])} WHERE id = ${below(3)}` })),
    ...maybe(10, () => ({ 'url.path': `/holds/${below(5)}` })),
    ...maybe(10, () => ({ 'thread.id': below(4) })),
  };
}

interface Made {
  readonly traceId: TraceId;
  readonly spans: readonly Span[];
  readonly root: Span;
  /** The first start of any of them. */
  readonly start: bigint;
  readonly durationNs: number;
  readonly user: string | undefined;
  readonly session: string | undefined;
}

function traceOf(number: number): Made {
  const traceId = (number + 1).toString(16).padStart(32, '0') as TraceId;
  const from = EARLIEST + BigInt(below(2 ** 31)) * 5_000n;
  const user = below(3) === 0 ? `guest-${below(20)}` : undefined;
  const session = below(4) === 0 ? `s-${below(40)}` : undefined;
  const isRootless = below(20) === 0;
  const spans = Array.from({ length: 1 + below(12) }, (_, id): Span => {
    const parent = id > 0 ? (below(15) === 0 ? 900 + below(50) : below(id)) : isRootless ? 999 : undefined;
    const whose: Attributes =
      id === 0
        ? { ...(user ? { [oneOf(['user.id', 'enduser.id'])]: user } : {}), ...(session ? { 'session.id': session } : {}) }
        : {};
    const service = oneOf(SERVICES);
    const span = makeSpan({
      id,
      parent,
      service,
      name: oneOf(NAMES),
      kind: oneOf(['internal', 'server', 'client', 'producer', 'consumer'] as const),
      from: 0,
      to: 0,
      failed: below(6) === 0,
      attributes: { ...attributesOf(number), ...whose },
    });
    const start = from + BigInt(below(2 ** 30));
    const resource = {
      ...span.resource,
      'service.instance.id': `${service}-${below(2)}`,
      ...maybe(50, () => ({ 'ferry.coach': 'as told by the resource' })),
    };
    const events = Array.from({ length: below(10) < 2 ? 1 + below(2) : 0 }, (__, at) => ({
      time: start + BigInt(at),
      name: oneOf(['retry', 'gate shut', 'exception']),
      attributes: maybe(80, () => ({ attempt: below(4), 'ferry.route': oneOf(ROUTES) })),
    }));
    return {
      ...span,
      traceId,
      resource,
      events,
      start,
      end: start + BigInt(oneOf([below(2 ** 20), below(2 ** 31), 250_000_000])),
    };
  });
  const isBefore = (a: Span, b: Span) => a.start < b.start || (a.start === b.start && a.spanId < b.spanId);
  const earliest = (of: readonly Span[]) => of.reduce((first, span) => (isBefore(span, first) ? span : first));
  const parentless = spans.filter((span) => span.parentSpanId === null);
  const root = earliest(parentless.length > 0 ? parentless : spans);
  return { traceId, spans, root, start: earliest(spans).start, durationNs: Number(root.end - root.start), user, session };
}

const made = Array.from({ length: TRACES }, (_, number) => traceOf(number));

// --- the second evaluation

function textOf(value: AttributeValue | undefined): string | undefined {
  if (value === undefined || value === null) return undefined;
  return Array.isArray(value) ? JSON.stringify(value) : `${value}`;
}

/** Whether a text is what the positive form of a condition asks for. */
function isSo(text: string | undefined, { operator, values: [first, ...more] }: Condition): boolean {
  if (text === undefined) return false;
  if (operator === 'exists' || operator === 'is missing') return true;
  if (operator === 'is' || operator === 'is not') return text === first || more.includes(text);
  if (operator === 'contains' || operator === 'lacks') return text.toLowerCase().indexOf(first.toLowerCase()) >= 0;
  if (text === '') return false;
  const [size, bound] = [Number.parseFloat(text), Number.parseFloat(first)];
  return { over: size > bound, under: size < bound, 'at least': size >= bound, 'at most': size <= bound }[operator as 'over'];
}

const NEGATIVE: readonly Operator[] = ['is not', 'lacks', 'is missing', 'nowhere'];

function holds(trace: Made, it: Condition, all: readonly Condition[]): boolean {
  return isSaid(trace, it, all) !== NEGATIVE.includes(it.operator);
}

function isSaid(trace: Made, it: Condition, all: readonly Condition[]): boolean {
  const { field, values } = it;
  switch (field) {
    case 'duration':
      return isSo(String(trace.durationNs / 1e6), { ...it, values: [values[0].replace('ms', '')] });
    case 'failed':
      return isSo(trace.spans.some((span) => span.status === 'error') ? 'yes' : 'no', it);
    case 'user':
      return isSo(trace.user, it);
    case 'session':
      return isSo(trace.session, it);
    case 'entry':
      return isSo(trace.root.name, it);
    case 'service':
      return trace.spans.some((span) => isSo(span.service, it));
    case 'operation': {
      const service = all.find((other) => other.field === 'service' && other.operator === 'is');
      return trace.spans.some((span) => isSo(span.name, it) && (!service || service.values.includes(span.service)));
    }
    case 'span':
    case 'root':
      return trace.spans.some((span) => endsPattern(trace, span, STEPS.get(values[0])!, field === 'root'));
    default:
      if (field.startsWith('event:')) return trace.spans.some((span) => eventTexts(span, field).some((text) => isSo(text, it)));
      return trace.spans.some((span) => isSo(textOf(span.attributes[field]), it) || isSo(textOf(span.resource[field]), it));
  }
}

function eventTexts({ events }: Span, field: string): (string | undefined)[] {
  const told = events.filter(({ name }) => name !== 'exception');
  if (field === 'event:name') return told.map(({ name }) => name);
  return told.flatMap(({ name, attributes }) =>
    Object.entries(attributes)
      .filter(([key]) => field === `event:${name.replace(' ', '_')}:${key}`)
      .map(([, value]) => textOf(value)),
  );
}

interface Step {
  readonly conditions: readonly Condition[];
  readonly directly: boolean;
}
/** Patterns by their text. */
const STEPS = new Map<string, readonly Step[]>();

/** Whether a chain of spans as the steps say ends in this one: every way up is tried. */
function endsPattern(trace: Made, span: Span, steps: readonly Step[], fromRoot: boolean): boolean {
  const last = steps[steps.length - 1];
  if (!last.conditions.every((it) => fitsSpan(span, it))) return false;
  if (steps.length === 1) return !fromRoot || span === trace.root;
  const above: Span[] = [];
  for (let at = parentIn(trace, span); at; at = parentIn(trace, at)) above.push(at);
  return (last.directly ? above.slice(0, 1) : above).some((it) => endsPattern(trace, it, steps.slice(0, -1), fromRoot));
}

function parentIn(trace: Made, { parentSpanId }: Span): Span | undefined {
  return trace.spans.find((span) => span.spanId === parentSpanId);
}

function fitsSpan(span: Span, it: Condition): boolean {
  const { field } = it;
  const is = (text: string | undefined) => isSo(text, it) !== NEGATIVE.includes(it.operator);
  if (field === 'duration')
    return isSo(String(Number(span.end - span.start) / 1e6), { ...it, values: [it.values[0].replace('ms', '')] });
  if (field === 'service') return is(span.service);
  if (field === 'operation') return is(span.name);
  if (field === 'kind') return is(span.kind);
  if (field === 'failed') return is(span.status === 'error' ? 'yes' : 'no');
  return is(textOf(span.attributes[field] ?? span.resource[field]));
}

// --- questions

const VALUES: Readonly<Record<string, readonly string[]>> = {
  service: [...SERVICES, 'nobody'],
  operation: [...NAMES, 'nothing'],
  entry: NAMES,
  'ferry.route': [...ROUTES, 'tern', 'FÄHRE'],
  'ferry.party_size': ['1', '2', '4', '4.5', '12', 'many'],
  'ferry.coach': ['true', 'false', 'as told by the resource'],
  note: ['short', LONG, VERY_LONG, '["a","b"]', 'so long', 'said about'],
  'booking.ref': ['OR3', 'OR17', 'OR99', 'or1'],
  'db.query.text': ['SELECT * FROM berth WHERE id = 1', 'from fare', 'id = 2'],
  'url.path': ['/holds/1', 'holds'],
  'thread.id': ['0', '1', '2'],
  'service.instance.id': ['berths-0', 'holds-1', 'gangway'],
  user: ['guest-1', 'guest-2', 'GUEST'],
  session: ['s-1', 's-2'],
  'session.id': ['s-1', 's-2', 's-3'],
  'user.id': ['guest-1', 'guest-3', 'guest'],
  'never.told': ['x'],
  'event:name': ['retry', 'gate shut', 'gate'],
  'event:retry:attempt': ['0', '1', '3'],
  'event:gate_shut:ferry.route': [...ROUTES, 'tern'],
  'event:exception:attempt': ['1'],
};
const SIZED = ['ferry.party_size', 'thread.id', 'event:retry:attempt'];

function valued(field: string): Condition {
  const operator = oneOf<Operator>(['is', 'is', 'is not', 'contains', 'lacks', 'exists', 'is missing']);
  if (SIZED.includes(field) && below(2) === 0)
    return condition(field, oneOf<Operator>(['over', 'under', 'at least', 'at most']), String(below(13)));
  if (operator === 'exists' || operator === 'is missing') return condition(field, operator);
  const values = VALUES[field];
  if (operator.startsWith('is')) return condition(field, operator, ...shuffled(values).slice(0, 1 + below(2)));
  return condition(field, operator, oneOf(values.filter((value) => value !== '')));
}

const sized = () =>
  condition('duration', oneOf<Operator>(['over', 'under', 'at least', 'at most']), oneOf(['1ms', '250ms', '900ms']));
const outcome = () => condition('failed', oneOf<Operator>(['is', 'is not']), ...oneOf([['yes'], ['no'], ['yes', 'no']]));

function patterned(): Condition {
  const fields = ['service', 'operation', 'ferry.route', 'ferry.party_size', 'note', 'service.instance.id', 'db.query.text'];
  const steps = Array.from({ length: 1 + below(3) }, () => ({
    conditions: Array.from({ length: 1 + below(2) }, () =>
      oneOf([() => valued(oneOf(fields)), sized, outcome, () => condition('kind', 'is', oneOf(['server', 'client']))])(),
    ),
    directly: below(2) === 0,
  }));
  const text = steps
    .map(
      (step, at) =>
        `${at === 0 ? '' : step.directly ? ' directly above ' : ' above '}${step.conditions.map(writeCondition).join(' and ')}`,
    )
    .join('');
  STEPS.set(text, steps);
  return condition(oneOf(['span', 'span', 'root']), oneOf<Operator>(['where', 'where', 'nowhere']), text);
}

const questions = Array.from({ length: QUESTIONS }, (_, number) => {
  const conditions = Array.from({ length: 1 + below(3) }, () =>
    oneOf([...Array.from({ length: 4 }, () => () => valued(oneOf(Object.keys(VALUES)))), sized, outcome, patterned])(),
  );
  const isWindowed = below(2) === 0;
  const from = isWindowed ? EARLIEST + BigInt(below(150)) * 60_000_000_000n : undefined;
  const to = from === undefined ? undefined : from + BigInt(10 + below(120)) * 60_000_000_000n;
  return { number, conditions, from, to, sort: oneOf(['-duration', '-start', '-failed']), limit: oneOf([40, 1000, 1000]) };
});
type Question = (typeof questions)[number];

function right({ conditions, from, to }: Question): Made[] {
  return made.filter(
    (trace) =>
      (from === undefined || trace.start >= from) &&
      (to === undefined || trace.start < to) &&
      conditions.every((it) => holds(trace, it, conditions)),
  );
}

function queryOf({ conditions, from, to }: Pick<Question, 'conditions' | 'from' | 'to'>): string {
  const query = new URLSearchParams({ where: conditions.map(writeCondition).join(';') });
  if (from !== undefined && to !== undefined) {
    query.set('from', formatIso(from));
    query.set('to', formatIso(to));
  }
  return query.toString();
}

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
  const mixed = shuffled(made.flatMap(({ spans }) => spans));
  for (let at = 0; at < mixed.length; ) {
    const size = oneOf([5, 40, 300]);
    const part = mixed.slice(at, at + size);
    at += size;
    const answer =
      below(3) === 0
        ? await post(dusk.url, JSON.stringify(toOtlpJson(part)), JSON_TYPE)
        : await post(dusk.url, encodeTracesProtobuf(part), PROTOBUF);
    expect(await answer.text()).not.toContain('rejected');
    expect(answer.status).toBe(200);
  }
});
afterAll(() => dusk.stop());

describe('conditions leave what a look at every span leaves', () => {
  it.each(questions)('$number', async (question) => {
    const { sort, limit } = question;
    const query = queryOf(question);
    const ids: string[] = [];
    let cursor = '';
    let total: number;
    do {
      const page = await getJson(dusk.url, `/api/traces?${query}&sort=${sort}&limit=${limit}${cursor && `&cursor=${cursor}`}`);
      for (const it of page.traces) ids.push(it.traceId);
      cursor = page.nextCursor ?? '';
      total = page.total;
    } while (cursor !== '');
    const byId = (a: Made, b: Made) => (a.traceId < b.traceId ? 1 : -1);
    const rank = ({ root, spans }: Made) => (root.status === 'error' ? 2 : spans.some((it) => it.status === 'error') ? 1 : 0);
    const order: Record<string, (a: Made, b: Made) => number> = {
      '-duration': (a, b) => b.durationNs - a.durationNs || byId(a, b),
      '-start': (a, b) => Number(b.start - a.start) || byId(a, b),
      '-failed': (a, b) => rank(b) - rank(a) || b.durationNs - a.durationNs || byId(a, b),
    };
    const wanted = right(question).sort(order[sort]);
    expect(ids, query).toEqual(wanted.map(({ traceId }) => traceId));
    expect(total).toBe(wanted.length);
  });

  it('which is neither all nor nothing, as a rule', () => {
    const counts = questions.map((question) => right(question).length);
    expect(counts.filter((count) => count > 0 && count < TRACES).length).toBeGreaterThan(QUESTIONS / 2);
    const fields = new Set(questions.flatMap(({ conditions }) => conditions.map(({ field }) => field)));
    expect([...Object.keys(VALUES), 'duration', 'failed', 'span', 'root'].filter((field) => !fields.has(field))).toEqual([]);
    expect(questions.flatMap(({ conditions }) => conditions).filter((it) => isPattern(it.operator)).length).toBeGreaterThan(20);
  });
});

describe('figures of what is left', () => {
  const some = questions.filter((question) => question.from !== undefined && right(question).length > 20).slice(0, 12);

  it.each(some)('over time: $number', async (question) => {
    const { stepMs, buckets } = await getJson(dusk.url, `/api/requests/series?${queryOf(question)}`);
    const requests = right(question).filter(({ root }) => root.parentSpanId === null);
    const counts = new Map<number, [count: number, failed: number]>();
    for (const { root } of requests) {
      const at = Math.floor(Number(root.start / 1_000_000n) / stepMs) * stepMs;
      const [count, failed] = counts.get(at) ?? [0, 0];
      counts.set(at, [count + 1, failed + (root.status === 'error' ? 1 : 0)]);
    }
    expect(buckets.map((it: { at: number; count: number; failed: number }) => [it.at, it.count, it.failed])).toEqual(
      [...counts].sort(([a], [b]) => a - b).map(([at, [count, failed]]) => [at, count, failed]),
    );
  });

  const groupings: readonly [by: string, valuesOf: (trace: Made) => (string | null)[]][] = [
    ['entry', ({ root }) => [root.name]],
    ['service', ({ spans }) => spans.map((span) => span.service)],
    ['operation', ({ spans }) => spans.map((span) => `${span.service} ${span.name}`)],
    ['user', ({ user }) => [user ?? null]],
    ['ferry.route', ({ spans }) => orNone(spans.map((span) => textOf(span.attributes['ferry.route'])))],
    ['event:retry:attempt', ({ spans }) => orNone(spans.flatMap((span) => eventTexts(span, 'event:retry:attempt')))],
    [
      'ferry.coach',
      ({ spans }) =>
        orNone(spans.flatMap((span) => [textOf(span.attributes['ferry.coach']), textOf(span.resource['ferry.coach'])])),
    ],
  ];
  const orNone = (values: (string | undefined)[]): (string | null)[] => {
    const told = values.filter((value) => value !== undefined);
    return told.length > 0 ? told : [null];
  };

  it.each(groupings)('by %s', async (by, valuesOf) => {
    for (const question of some.slice(0, 5)) {
      const { groups } = await getJson(dusk.url, `/api/traces/groups?${queryOf(question)}&by=${by}`);
      const wanted = new Map<string | null, Made[]>();
      for (const trace of right(question))
        for (const value of new Set(valuesOf(trace))) wanted.set(value, [...(wanted.get(value) ?? []), trace]);
      expect(groups.map((it: { value: string | null }) => it.value).sort()).toEqual([...wanted.keys()].sort());
      for (const { value, lit } of groups) {
        const of = wanted.get(value)!;
        const durations = of.map(({ durationNs }) => durationNs).sort((a, b) => a - b);
        const total = durations.reduce((sum, ns) => sum + ns, 0);
        expect([lit.calls, lit.failed]).toEqual([of.length, of.filter(({ root }) => root.status === 'error').length]);
        expect(lit.totalNs / total).toBeCloseTo(1, 9);
        // The sketch is right to 2.2 %.
        const p95 = durations[Math.ceil(0.95 * durations.length) - 1];
        expect(Math.abs(lit.p95Ns / p95 - 1)).toBeLessThan(0.023);
      }
    }
  });
});

it('groups by any key, and says when some values are too long to be told apart', async () => {
  const query = queryOf({ conditions: [], from: EARLIEST, to: EARLIEST + 4n * 3_600_000_000_000n });
  for (const [by, many] of [
    ['ferry.route', false],
    ['note', true],
    ['booking.ref', false],
    ['db.query.text', false],
  ])
    expect([by, (await getJson(dusk.url, `/api/traces/groups?${query}&by=${by}`)).many]).toEqual([by, many]);
  const { fields } = await getJson(dusk.url, `/api/fields?${query}`);
  const notes = fields.find(({ field }: { field: string }) => field === 'note').values;
  const counted = new Map<string, number>();
  for (const trace of made)
    for (const text of new Set(trace.spans.map((span) => textOf(span.attributes.note))))
      if (text !== undefined && text !== VERY_LONG) counted.set(text, (counted.get(text) ?? 0) + 1);
  expect(new Map(notes.map((it: { value: string; count: number }) => [it.value, it.count]))).toEqual(counted);
});

it.each([300, 700, 6_000])('takes a key of %i letters, and finds what has it', async (length) => {
  const key = Array.from({ length }, () => oneOf([...'abcdefghijklmnopqrstuvwxyz'])).join('');
  const span = makeSpan({ id: 0, from: 0, to: 5, attributes: { [key]: 'here' } });
  const traceId = String(length).padStart(32, 'f') as TraceId;
  const sent = { ...span, traceId, start: EARLIEST, end: EARLIEST + 5n, resource: { ...span.resource, [`${key}.too`]: 'here' } };
  expect((await post(dusk.url, encodeTracesProtobuf([sent]), PROTOBUF)).status).toBe(200);
  for (const field of [key, `${key}.too`]) {
    const query = queryOf({ conditions: [condition(field, 'is', 'here')], from: EARLIEST, to: EARLIEST + 1n });
    const { traces } = await getJson(dusk.url, `/api/traces?${query}`);
    expect([traces.length, traces[0]?.traceId]).toEqual([1, traceId]);
  }
});
