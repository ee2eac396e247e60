import { z } from 'zod';
import packageJson from '../../package.json' with { type: 'json' };
import { SIGNALS } from '../formats/otlp/wire/messages.ts';
import { askAnything } from './ask/ask.ts';
import { failures, occurrences } from './failures/failures.ts';
import { environments } from './fields/environments.ts';
import { fields } from './fields/list.ts';
import { health } from './health/health.ts';
import { changeIncident, incidents } from './incidents/incidents.ts';
import { readFilling, tellFilling } from './intake/filling.ts';
import { masking, previewMasking, setMasking } from './intake/masking.ts';
import { senders } from './intake/senders.ts';
import { state } from './intake/state.ts';
import { readJourneys, writeJourneys } from './journeys/journeys.ts';
import { followLink, makeLink } from './links/links.ts';
import { map } from './map/map.ts';
import { starts } from './map/starts.ts';
import { around } from './now/around.ts';
import { cost } from './now/cost.ts';
import { now } from './now/now.ts';
import { reasons } from './now/reasons.ts';
import { operations } from './operations/list.ts';
import { operationSeries } from './operations/series.ts';
import { series } from './requests/series.ts';
import { ribbon } from './ribbon/ribbon.ts';
import { inbox, listRules, setRecipients, setRules, tryRule } from './rules/rules.ts';
import { serviceExample } from './services/example.ts';
import { serviceMeasures } from './services/measures.ts';
import { serviceOverview } from './services/overview.ts';
import { peerOverview } from './services/peer.ts';
import { serviceTime } from './services/time.ts';
import { beside } from './traces/beside.ts';
import { compare } from './traces/compare.ts';
import { groups } from './traces/groups.ts';
import { like } from './traces/like.ts';
import { list } from './traces/list.ts';
import { logs } from './traces/logs.ts';
import { nearest } from './traces/nearest.ts';
import { one } from './traces/one.ts';
import { opened } from './traces/opened.ts';
import { overview } from './traces/overview.ts';
import { points } from './traces/points.ts';
import { oneSpan } from './traces/span.ts';
import { stripes } from './traces/stripes.ts';
import { timeline } from './traces/timeline.ts';
import { traceMap } from './traces/touched.ts';
import { usual } from './traces/usual.ts';
import { column, find } from './traces/within.ts';

interface Described {
  readonly path: string;
  readonly summary: string;
  readonly query: z.ZodObject;
  readonly answer: z.ZodType;
}

const endpoints: Described[] = [
  health,
  now,
  reasons,
  map,
  starts,
  serviceOverview,
  serviceTime,
  serviceMeasures,
  serviceExample,
  peerOverview,
  traceMap,
  around,
  cost,
  ribbon,
  failures,
  occurrences,
  incidents,
  askAnything,
  fields,
  environments,
  followLink,
  list,
  overview,
  one,
  timeline,
  oneSpan,
  beside,
  points,
  nearest,
  groups,
  stripes,
  usual,
  column,
  find,
  logs,
  compare,
  like,
  series,
  operations,
  operationSeries,
  state,
  senders,
  masking,
  readFilling,
];

const error = (description: string) => ({
  description,
  content: { 'application/json': { schema: { type: 'object', properties: { error: { type: 'string' } }, required: ['error'] } } },
});

const otlpBody = {
  content: {
    'application/x-protobuf': { schema: { type: 'string', format: 'binary' } },
    'application/json': { schema: { type: 'object' } },
  },
};

const DOORS = [
  ['/v1/traces', 'trace'],
  ['/v1/logs', 'log'],
  ['/v1/metrics', 'metric'],
  ['/v1development/profiles', 'profile'],
] as const;

function door(what: string): object {
  return {
    summary: `OTLP/HTTP ${what} export, protobuf or JSON, gzip or plain. What is acknowledged has been committed.`,
    requestBody: { required: true, ...otlpBody },
    responses: {
      200: { description: 'The export response; partial_success says what was refused and why.', ...otlpBody },
      400: { description: 'Status: the body cannot be read.', ...otlpBody },
      413: { description: 'Status: the body is over a limit.', ...otlpBody },
      415: { description: 'Status: content type or encoding is not known.', ...otlpBody },
      503: {
        description: 'Status: the store is away or too much is under way; Retry-After says when to come again.',
        ...otlpBody,
      },
    },
  };
}

const EXPORT = {
  summary: 'All that is kept of a signal in a window, as OTLP JSON lines.',
  parameters: [
    { name: 'signal', in: 'path', required: true, schema: { type: 'string', enum: SIGNALS } },
    { name: 'from', in: 'query', required: false, schema: { type: 'string' } },
    { name: 'to', in: 'query', required: false, schema: { type: 'string' } },
  ],
  responses: {
    200: { description: 'An export request a line.', content: { 'application/x-ndjson': {} } },
    400: error('The question cannot be understood.'),
  },
};

const DOWNLOAD = {
  summary: 'A trace, or one span of it, as the OTLP JSON it came as.',
  parameters: [
    { name: 'traceId', in: 'path', required: true, schema: { type: 'string' } },
    { name: 'spanId', in: 'query', required: false, schema: { type: 'string' } },
  ],
  responses: {
    200: { description: 'An export request.', content: { 'application/json': {} } },
    400: error('The question cannot be understood.'),
    404: error('It is not kept.'),
  },
};

/** The description of the interface, OpenAPI 3.1, made from the schemas that the endpoints check with. */
export function openApi(): object {
  return {
    openapi: '3.1.0',
    info: { title: 'Dusk Lantern', version: packageJson.version },
    paths: {
      ...Object.fromEntries(endpoints.map((it) => [it.path, { get: describe(it) }])),
      [masking.path]: { get: describe(masking), put: describeBody(setMasking) },
      [readFilling.path]: { get: describe(readFilling), put: describeBody(tellFilling) },
      [previewMasking.path]: { post: describeBody(previewMasking) },
      [readJourneys.path]: { get: describe(readJourneys), put: describeBody(writeJourneys) },
      [changeIncident.path]: { put: describeBody(changeIncident) },
      [makeLink.path]: { post: describeBody(makeLink) },
      [listRules.path]: { get: describe(listRules), put: describeBody(setRules) },
      [tryRule.path]: { post: describeBody(tryRule) },
      [inbox.path]: { get: describe(inbox), put: describeBody(setRecipients) },
      [opened.path]: { post: describeBody(opened) },
      '/api/traces/{traceId}/otlp': { get: DOWNLOAD },
      '/api/export/{signal}': { get: EXPORT },
      ...Object.fromEntries(DOORS.map(([path, what]) => [path, { post: door(what) }])),
    },
  };
}

function describeBody({ summary, query, answer }: Described): object {
  return {
    summary,
    requestBody: { required: true, content: { 'application/json': { schema: z.toJSONSchema(query, { io: 'input' }) } } },
    responses: {
      200: {
        description: 'The answer.',
        content: { 'application/json': { schema: z.toJSONSchema(answer, { unrepresentable: 'any' }) } },
      },
      400: error('The question cannot be understood.'),
      503: error('The store cannot be reached now.'),
    },
  };
}

function describe({ path, summary, query, answer }: Described): object {
  const inPath = new Set([...path.matchAll(/\{(\w+)\}/g)].map((match) => match[1]));
  const { properties = {}, required = [] } = z.toJSONSchema(query, { io: 'input' }) as {
    properties?: Record<string, { description?: string }>;
    required?: string[];
  };
  return {
    summary,
    parameters: Object.entries(properties).map(([name, { description, ...schema }]) => ({
      name,
      in: inPath.has(name) ? 'path' : 'query',
      required: inPath.has(name) || required.includes(name),
      ...(description ? { description } : {}),
      schema,
    })),
    responses: {
      200: {
        description: 'The answer.',
        content: { 'application/json': { schema: z.toJSONSchema(answer, { unrepresentable: 'any' }) } },
      },
      400: error('The question cannot be understood.'),
      ...(inPath.size > 0 ? { 404: error('It is not kept.') } : {}),
      503: error('The store cannot be reached now.'),
    },
  };
}
