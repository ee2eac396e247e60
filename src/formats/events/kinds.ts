import { z } from 'zod';
import { withoutSecretValues } from '../../core/machines/secrets.ts';
import type { Attributes } from '../../core/trace/span.ts';
import { VISIT_KINDS } from '../../core/visits/visitEvent.ts';
import { checkStep, MOST_CHECK_STEPS } from './checkStep.ts';
import { hostProcess, MOST_PROCESSES } from './hostProcess.ts';
import { MOST_SESSIONS, sampledSession } from './sampledSession.ts';

/*
 * What OTLP has no signal for comes as an event: a log record with one of the names below, its content in the record's attributes.
 * Where OpenTelemetry's semantic conventions have a name for an attribute, it is that one. docs/events.md is written from here.
 */

const text = (about: string) => z.string().max(100_000).default('').meta({ description: about });
const needed = (about: string) => z.string().min(1).max(100_000).meta({ description: about });
const bounded = (most: number, about: string) => z.string().max(most).meta({ description: about });
const whole = (about: string) => z.coerce.number().int().min(0).default(0).meta({ description: about });
const number = (about: string) => z.coerce.number().default(0).meta({ description: about });
const detail = (about: string) =>
  z
    .custom<Attributes>((value) => typeof value === 'object' && value !== null && !Array.isArray(value), 'a map is expected')
    .default({})
    .meta({ description: about });

/** Labels, and characters of the details, of one object. */
const MOST_LABELS = 80;
const MOST_DETAIL = 20_000;
const boundedDetail = (about: string) =>
  detail(about).refine((value) => JSON.stringify(value).length <= MOST_DETAIL, `at most ${MOST_DETAIL} characters are expected`);

const database = {
  'db.system.name': needed('The database system, such as postgresql.'),
  'server.address': needed('The database server.'),
  'db.namespace': text('The database on that server.'),
};
const statementId = needed("The statement's own fingerprint, the same for all its values.");

/** One kind of event: its name, what it says, its attributes, and the row that is made of them. */
function kind<const Table extends string, Shape extends z.ZodRawShape, Row>(it: {
  readonly name: string;
  readonly table: Table;
  readonly about: string;
  readonly attributes: Shape;
  readonly row: (attributes: z.output<z.ZodObject<Shape>>) => Row;
}) {
  const schema = z.object(it.attributes);
  return {
    name: it.name,
    about: it.about,
    attributes: it.attributes,
    /** The row, or what is wrong with the attributes in words. */
    read: (attributes: Attributes): { table: Table; row: Row } | { wrong: string } => {
      const parsed = schema.safeParse(attributes);
      if (parsed.success) return { table: it.table, row: it.row(parsed.data) };
      const wrong = parsed.error.issues.map((issue) => `${issue.path.join('.')}: ${issue.message}`).join('; ');
      return { wrong: `${it.name}: ${wrong}` };
    },
  };
}

export const EVENT_KINDS = [
  kind({
    name: 'lantern.db.second',
    table: 'dbSecond',
    about:
      'The sessions of a database server at one moment, as a sampler saw them, those left out that were idle outside of a transaction. One a second and server, also when no session is active: a second without one is an outage of the sampler, not a server without load.',
    attributes: {
      'db.system.name': database['db.system.name'],
      'server.address': database['server.address'],
      'lantern.db.interval_ms': z.coerce
        .number()
        .min(1)
        .max(3_600_000)
        .default(1000)
        .meta({ description: 'How much time it represents, in milliseconds.' }),
      'lantern.db.idle': whole('Sessions that were idle, outside of a transaction.'),
      'lantern.db.most_sessions': whole('How many sessions the server allows; 0 when unknown.'),
      'lantern.db.cores': whole('Cores of the server; 0 when unknown.'),
      'lantern.db.sessions': z.array(sampledSession).max(MOST_SESSIONS).default([]).meta({
        description:
          'The sessions: `session` (the server’s own number), `state` (as PostgreSQL names it), `database`, `user`, `program`, `client`, `backend` (of the server’s own processes), `wait_class`, `wait_event` (left out when it did not wait), `statement_id`, `traceparent` (W3C, from the statement’s comment), `blocked_by` (list of sessions), `since_ms` (in this state), `transaction_ms`.',
      }),
      'lantern.db.statements': z.record(z.string().min(1).max(64), z.string().max(100_000)).default({}).meta({
        description:
          'Texts of statements by their ids, values left out; sent when a sampler first sees one, and again at least once a day: texts that are not go with the records of their day.',
      }),
    },
    row: (it) => ({
      system: it['db.system.name'],
      server: it['server.address'],
      intervalMs: it['lantern.db.interval_ms'],
      idle: it['lantern.db.idle'],
      most: it['lantern.db.most_sessions'],
      cores: it['lantern.db.cores'],
      sessions: it['lantern.db.sessions'],
      statements: it['lantern.db.statements'],
    }),
  }),
  kind({
    name: 'lantern.db.statement',
    table: 'dbStatement',
    about: 'Counters of a statement since they were reset. The difference of two readings is the cost between them.',
    attributes: {
      ...database,
      'lantern.db.statement_id': statementId,
      'db.query.text': text('The statement, with its values left out.'),
      'lantern.db.calls': whole('How often it was called.'),
      'lantern.db.total_ms': number('How long all calls took together, in milliseconds.'),
      'lantern.db.rows': whole('How many rows it gave or changed.'),
      'lantern.db.blocks_hit': whole('Blocks that it found in memory.'),
      'lantern.db.blocks_read': whole('Blocks that it had to read.'),
      'lantern.db.blocks_temporary': whole('Blocks that it wrote to temporary files.'),
      'lantern.db.read_ms': number('How long it waited for blocks to be read, in milliseconds; 0 where that is not timed.'),
    },
    row: (it) => ({
      system: it['db.system.name'],
      server: it['server.address'],
      database: it['db.namespace'],
      statementId: it['lantern.db.statement_id'],
      text: it['db.query.text'],
      calls: it['lantern.db.calls'],
      totalMs: it['lantern.db.total_ms'],
      rows: it['lantern.db.rows'],
      blocksHit: it['lantern.db.blocks_hit'],
      blocksRead: it['lantern.db.blocks_read'],
      blocksTemporary: it['lantern.db.blocks_temporary'],
      readMs: it['lantern.db.read_ms'],
    }),
  }),
  kind({
    name: 'lantern.db.plan',
    table: 'dbPlan',
    about: 'A plan that a database chose for a statement; sent when it changes.',
    attributes: {
      ...database,
      'lantern.db.statement_id': statementId,
      'lantern.db.plan_id': needed('A hash of the shape of the plan.'),
      'lantern.db.plan': needed('The plan; for PostgreSQL what EXPLAIN (FORMAT JSON) writes.'),
      'lantern.db.total_cost': number("The plan's cost, in the database's own units."),
    },
    row: (it) => ({
      system: it['db.system.name'],
      server: it['server.address'],
      database: it['db.namespace'],
      statementId: it['lantern.db.statement_id'],
      planId: it['lantern.db.plan_id'],
      plan: it['lantern.db.plan'],
      totalCost: it['lantern.db.total_cost'],
    }),
  }),
  kind({
    name: 'lantern.request.in_flight',
    table: 'inFlight',
    about:
      'A request that had not ended when its service looked, so that it has no span yet. Sent every few seconds for requests that are older than 100 ms, and when the application asks for a look at one.',
    attributes: {
      'lantern.trace_id': text('Its trace.'),
      'lantern.span_id': text('Its span that is open, where it is known.'),
      'lantern.operation': needed('What was asked of the service.'),
      'lantern.step': text('What it was doing.'),
      'lantern.age_ms': number('Since when, in milliseconds.'),
      'lantern.state': z
        .enum(['running', 'ended'])
        .default('running')
        .meta({ description: 'Whether it runs; `ended` answers a look at one that has.' }),
      'lantern.outcome': text('How it ended, where it has: a status code, or what went wrong.'),
      'lantern.wait': text('What it waits for, such as `database` or `http`; empty when it computes.'),
      'lantern.look': text('The look that this answers; empty for what is sent unasked.'),
      'thread.name': text('The thread or task that works on it.'),
      'db.query.text': text('The statement that it waits for, values left out.'),
      'code.stacktrace': z.string().max(60_000).default('').meta({
        description:
          'Where in the code it stands: a line a frame, `name file:line`, the innermost first. What runtimes print is read too.',
      }),
    },
    row: (it) => ({
      traceId: it['lantern.trace_id'],
      spanId: it['lantern.span_id'],
      operation: it['lantern.operation'],
      step: it['lantern.step'],
      ageMs: it['lantern.age_ms'],
      state: it['lantern.state'],
      outcome: it['lantern.outcome'],
      wait: it['lantern.wait'],
      look: it['lantern.look'],
      thread: it['thread.name'],
      statement: it['db.query.text'],
      stack: it['code.stacktrace'],
    }),
  }),
  kind({
    name: 'lantern.change',
    table: 'change',
    about: 'Something was changed: a deployment, a setting, a key, a job that began or ended.',
    attributes: {
      'lantern.change.kind': z
        .enum(['deployment', 'setting', 'key', 'job', 'schema', 'infrastructure', 'other'])
        .meta({ description: 'What kind of change.' }),
      'lantern.change.phase': z
        .enum(['begin', 'end', 'done'])
        .default('done')
        .meta({ description: 'Whether it began, ended, or was done at once.' }),
      'lantern.change.title': needed('What was changed, in a few words.'),
      'service.version': text('The version that came with it.'),
      'lantern.change.actor': text('Who or what did it.'),
      'lantern.change.detail': detail('Whatever else is to be known.'),
    },
    row: (it) => ({
      kind: it['lantern.change.kind'],
      phase: it['lantern.change.phase'],
      title: it['lantern.change.title'],
      version: it['service.version'],
      actor: it['lantern.change.actor'],
      detail: it['lantern.change.detail'],
    }),
  }),
  kind({
    name: 'lantern.inventory',
    table: 'inventory',
    about: 'A host, machine, pod or other object as it is now. Sent when it changes, and from time to time.',
    attributes: {
      'lantern.object.kind': needed('What it is: host, vm, pod, container, deployment, or a kind of your own.'),
      'lantern.object.id': needed('By what it is known for all its life.'),
      'lantern.object.name': needed('How people call it.'),
      'lantern.object.part_of': text('The id of the object that it belongs to.'),
      'lantern.object.stands_on': text('The id of the object that it runs on: of a pod its machine, of a machine its host.'),
      'lantern.object.uses': z
        .array(z.string().min(1).max(500))
        .max(100)
        .default([])
        .meta({ description: 'Ids of what it is given: settings, secrets, volumes.' }),
      'lantern.object.labels': z
        .record(z.string().max(200), z.coerce.string().max(300))
        .refine((labels) => Object.keys(labels).length <= MOST_LABELS, `at most ${MOST_LABELS} labels are expected`)
        .default({})
        .meta({ description: 'Its labels, by which it can be narrowed and grouped.' }),
      'lantern.object.gone': z.boolean().default(false).meta({ description: 'Whether it has ended.' }),
      'lantern.object.specification': text('Its specification, as YAML. Values of secrets are not kept.'),
      'lantern.object.detail': boundedDetail(
        'Its state: `ready`, `phase`, `reason`, `restarts`, `image`, `cpu.request`, `cpu.limit` (cores), `memory.request`, `memory.limit` (bytes), `started` (ISO 8601); of a host `cores` and `memory` (bytes); of a job `schedule`; of an image `components` and `weaknesses`; whatever else it has.',
      ),
    },
    row: (it) => ({
      kind: it['lantern.object.kind'],
      objectId: it['lantern.object.id'],
      name: it['lantern.object.name'],
      partOf: it['lantern.object.part_of'],
      gone: it['lantern.object.gone'],
      specification: withoutSecretValues(it['lantern.object.kind'], it['lantern.object.specification']),
      detail: it['lantern.object.detail'],
      standsOn: it['lantern.object.stands_on'],
      uses: it['lantern.object.uses'],
      labels: it['lantern.object.labels'],
    }),
  }),
  kind({
    name: 'lantern.object.event',
    table: 'objectEvent',
    about: 'Something that happened to an object: a pod was killed, could not be placed, started.',
    attributes: {
      'lantern.object.id': needed('The id of the object, as in the inventory.'),
      'lantern.object.kind': text('What it is.'),
      'lantern.object.name': text('How people call it.'),
      'lantern.event.reason': needed('What happened, in one word or a few, such as OOMKilled, Unhealthy or started.'),
      'lantern.event.message': text('What happened, in a sentence.'),
      'lantern.event.trouble': z.boolean().default(false).meta({ description: 'Whether it is trouble.' }),
      'lantern.event.count': z.coerce.number().int().min(1).max(1_000_000_000).default(1).meta({ description: 'How often.' }),
    },
    row: (it) => ({
      objectId: it['lantern.object.id'],
      kind: it['lantern.object.kind'],
      name: it['lantern.object.name'],
      reason: it['lantern.event.reason'].slice(0, 200),
      message: it['lantern.event.message'].slice(0, 2_000),
      trouble: it['lantern.event.trouble'],
      count: it['lantern.event.count'],
    }),
  }),
  kind({
    name: 'lantern.host.processes',
    table: 'hostProcesses',
    about: 'The busiest processes of a host since the last such event; sent once a minute.',
    attributes: {
      'host.name': needed('The host.'),
      'lantern.processes': z.array(hostProcess).max(MOST_PROCESSES).default([]).meta({
        description:
          'The processes: `name`, `pid`, `cores` (in the mean), `wants` (cores that it could have used), `memory` (bytes), `reads` and `writes` (bytes a second), `container` (its container or pod, where it is in one), `job` (the job that started it).',
      }),
    },
    row: (it) => ({ host: it['host.name'], processes: it['lantern.processes'] }),
  }),
  kind({
    name: 'lantern.visit',
    table: 'visit',
    about:
      'What a visitor saw or did: a page, an action, a resource, an error, a long task, or a measure of how the page felt. The time of the event is when it began.',
    attributes: {
      'session.id': bounded(200, 'The session; 30 minutes of silence end a visit.').min(1),
      'user.id': bounded(200, 'Who it was, when known; better a name of no meaning.').default(''),
      'lantern.visit.kind': z.enum(VISIT_KINDS).meta({
        description:
          'What kind of thing it was: `page` (a page or screen is shown; the duration is until it was ready), `action` (something was pressed; until its effect), `resource`, `error`, `crash`, `struggle` (a sign that the sender itself found), `vital` (a web vital; the duration is its value, of CLS see the details), `task` (the page was kept busy; the name is the script), `start` (of an application), `leave`.',
      }),
      'url.path': bounded(300, 'The page or screen.').default(''),
      'lantern.visit.name': bounded(1_000, 'What was pressed, loaded, measured or went wrong.').default(''),
      'lantern.visit.duration_ms': z.coerce
        .number()
        .min(0)
        .nullable()
        .default(null)
        .meta({ description: 'How long it took, in milliseconds.' }),
      'lantern.visit.order': whole('Its place among all of the visit.'),
      'lantern.trace_id': text('The trace of the request that it made.'),
      'lantern.visit.detail': boundedDetail(
        'Details: `view` (an id that a page and what belongs to it have in common), `trigger` (`load`, or `route` without a new document), `redirect.ms` `dns.ms` `connect.ms` `tls.ms` `request.ms` `response.ms` (phases of a page or resource, one after the other), `bytes`, `party` (`third` for what is not the company’s own), `status`, `element`, `effect` (whether anything came of a press: `mutation`, `navigation`, `request`, `focus`, `none`, or true and false), `value` (of a vital), `stack`, `masked` (how much was masked in the page).',
      ),
      'lantern.visit.about': boundedDetail(
        'Facts of the whole visit: `version`, `region`, `browser`, `device`, `os`, `new` (whether the visitor is), and others to tell visits apart by. Those of one event are enough.',
      ),
    },
    row: (it) => ({
      session: it['session.id'],
      userRef: it['user.id'],
      kind: it['lantern.visit.kind'],
      page: it['url.path'],
      name: it['lantern.visit.name'],
      durationMs: it['lantern.visit.duration_ms'],
      order: it['lantern.visit.order'],
      traceId: it['lantern.trace_id'],
      detail: it['lantern.visit.detail'],
      about: it['lantern.visit.about'],
    }),
  }),
  kind({
    name: 'lantern.check',
    table: 'checkRun',
    about: 'A run of a scripted check of a journey, or of one address.',
    attributes: {
      'lantern.check.name': bounded(200, 'The check.').min(1),
      'lantern.check.kind': z
        .enum(['journey', 'address'])
        .meta({ description: 'Whether it goes through steps in a browser, or asks one address.' }),
      'lantern.check.ok': z.boolean().meta({ description: 'Whether all went as expected.' }),
      'lantern.check.duration_ms': z.coerce.number().min(0).meta({ description: 'How long it took, in milliseconds.' }),
      'lantern.check.place': bounded(100, 'From where it was run.').default(''),
      'lantern.check.error': bounded(2_000, 'What went wrong.').default(''),
      'lantern.check.steps': z.array(checkStep).max(MOST_CHECK_STEPS).default([]).meta({
        description: 'Its steps in order: `name`, `ms`, `ok`, `error`; those after one that failed are not there.',
      }),
      'lantern.check.picture': bounded(100_000, 'What the browser showed when it failed: a JPEG as base64.').default(''),
      'url.path': bounded(300, 'The page that it begins with.').default(''),
      'lantern.trace_id': text('The trace of its last request.'),
    },
    row: (it) => ({
      name: it['lantern.check.name'],
      kind: it['lantern.check.kind'],
      ok: it['lantern.check.ok'],
      durationMs: it['lantern.check.duration_ms'],
      place: it['lantern.check.place'],
      error: it['lantern.check.error'],
      steps: it['lantern.check.steps'],
      picture: it['lantern.check.picture'],
      page: it['url.path'],
      traceId: it['lantern.trace_id'],
    }),
  }),
] as const;

type ReadEvent = ReturnType<(typeof EVENT_KINDS)[number]['read']>;
/** What an event is derived into: which table, and the row. */
export type DerivedEvent = Extract<ReadEvent, { row: unknown }>;

const BY_NAME = new Map<string, (typeof EVENT_KINDS)[number]>(EVENT_KINDS.map((it) => [it.name, it]));

/** Whether events of this name are derived. */
export function isOwnEvent(name: string): boolean {
  return BY_NAME.has(name);
}

/** What is derived from an event of ours, or what is wrong with it in words. */
export function deriveEvent(name: string, attributes: Attributes): ReadEvent {
  return BY_NAME.get(name)?.read(attributes) ?? { wrong: `${name}: no such event is known here` };
}
