import { cpus } from 'node:os';
import { setTimeout as sleep } from 'node:timers/promises';
import pg from 'pg';
import type { Attributes } from '../../src/core/trace/span.ts';
import { loadParser } from '../../src/formats/database/fingerprint.ts';
import { secondAttributes } from '../../src/formats/events/sampledSession.ts';
import { Increments } from '../sending/increments.ts';
import { Outbox } from '../sending/outbox.ts';
import { type Sight, sightOf } from './check.ts';
import { readCounters, StatementCounters } from './counters.ts';
import type { CollectorOptions } from './options.ts';
import { genericPlan, PLANNED_AT_ONCE, PlanChanges } from './plans.ts';
import { machineMeasures, readSettings, serverMeasures, settingChanges } from './serverMeasures.ts';
import { APPLICATION_NAME, seeSessions } from './sessions.ts';
import { StatementNames } from './statementNames.ts';

const SCOPE = { name: 'dusk-lantern-collector', version: '1' };
const MINUTE_MS = 60_000;
const LONGEST_PAUSE_MS = 30_000;
const LOOPBACK = new Set(['127.0.0.1', '::1', 'localhost', '']);

/** A connection for the collector alone: short time-outs, so that it never stands in anybody's way. */
export async function connect({ dsn, password }: CollectorOptions): Promise<pg.Client> {
  const client = new pg.Client({
    connectionString: dsn,
    ...(password === undefined ? {} : { password }),
    application_name: APPLICATION_NAME,
    connectionTimeoutMillis: 5_000,
    statement_timeout: 5_000,
    lock_timeout: 1_000,
    query_timeout: 10_000,
  });
  // A connection that breaks is noticed by the next question.
  client.on('error', () => {});
  await client.connect();
  return client;
}

/** Samples a server until it is told to stop; connects anew when the connection breaks. */
export class Collector {
  readonly #options: CollectorOptions;
  readonly #say: (words: string) => void;
  readonly #resource: Attributes;
  readonly #outbox: Outbox;
  readonly #names = new StatementNames();
  readonly #counters = new StatementCounters();
  readonly #plans = new PlanChanges();
  readonly #increments = new Increments();
  readonly #isHere: boolean;
  /** Samples that each statement was seen in since plans were last asked for. */
  #seen = new Map<string, { text: string; database: string; samples: number }>();
  #settings: ReadonlyMap<string, string> | undefined;
  #stopped = false;

  constructor(options: CollectorOptions, say: (words: string) => void) {
    this.#options = options;
    this.#say = say;
    this.#resource = { 'service.name': `collector of ${options.name}`, 'server.address': options.name };
    this.#outbox = new Outbox(options.to, say);
    this.#isHere = LOOPBACK.has(new URL(options.dsn).hostname);
  }

  async run(): Promise<void> {
    await loadParser();
    for (let pause = 1_000; !this.#stopped; ) {
      let client: pg.Client | undefined;
      try {
        client = await connect(this.#options);
        const sight = await sightOf(client);
        for (const it of sight.lacks) this.#say(it);
        this.#say(`sampling ${this.#options.name}, PostgreSQL ${sight.versionText}, every ${this.#options.everyMs} ms`);
        pause = 1_000;
        await this.#sample(client, sight);
      } catch (error) {
        if (!this.#stopped) this.#say(`${this.#options.name}: ${(error as Error).message}; tried again in ${pause / 1000} s`);
        await this.#wait(pause);
        pause = Math.min(2 * pause, LONGEST_PAUSE_MS);
      } finally {
        await client?.end().catch(() => {});
      }
    }
    await this.#outbox.end();
  }

  stop(): void {
    this.#stopped = true;
  }

  async #wait(ms: number): Promise<void> {
    for (let left = ms; left > 0 && !this.#stopped; left -= 200) await sleep(Math.min(200, left));
  }

  async #sample(client: pg.Client, sight: Sight): Promise<void> {
    const { everyMs } = this.#options;
    let nextMinute = 0;
    // Moments lie on a grid, so that one that took longer does not move those after it.
    for (let at = Math.ceil(Date.now() / everyMs) * everyMs; !this.#stopped; ) {
      await sleep(Math.max(0, at - Date.now()));
      await this.#second(client, sight);
      if (Date.now() >= nextMinute) {
        nextMinute = Math.floor(Date.now() / MINUTE_MS + 1) * MINUTE_MS;
        await this.#minute(client, sight);
      }
      // Moments that were missed are missing: nothing is made up for them.
      at = Math.max(at + everyMs, Math.ceil((Date.now() - everyMs / 2) / everyMs) * everyMs);
    }
  }

  async #second(client: pg.Client, sight: Sight): Promise<void> {
    const seen = await seeSessions(client, this.#names, sight.hasQueryId);
    const second = {
      system: 'postgresql',
      server: this.#options.name,
      intervalMs: this.#options.everyMs,
      idle: seen.idle,
      most: sight.most,
      cores: this.#isHere ? cpus().length : 0,
      sessions: seen.sessions,
    };
    for (const it of seen.sessions) {
      if (it.state !== 'active' || it.statementId === '') continue;
      const known = this.#seen.get(it.statementId) ?? { text: '', database: it.database, samples: 0 };
      known.samples++;
      this.#seen.set(it.statementId, known);
    }
    for (const [id, text] of Object.entries(seen.statements)) {
      const known = this.#seen.get(id);
      if (known) known.text = text;
    }
    this.#event('lantern.db.second', secondAttributes(second, seen.statements));
  }

  async #minute(client: pg.Client, sight: Sight): Promise<void> {
    if (sight.hasStatements) {
      const rows = await readCounters(client, this.#names, sight.version);
      for (const attributes of this.#counters.take(rows, this.#names, this.#options.name)) {
        this.#event('lantern.db.statement', attributes);
        const known = this.#seen.get(String(attributes['lantern.db.statement_id']));
        if (known) known.text = String(attributes['db.query.text']);
      }
    }
    const measures = await serverMeasures(client, sight.version, this.#increments);
    if (this.#isHere) measures.push(...machineMeasures(this.#increments));
    const time = BigInt(Date.now()) * 1_000_000n;
    this.#outbox.points(
      measures.map(({ name, unit, kind, value, attributes }) => ({
        resource: this.#resource,
        scope: SCOPE,
        name,
        unit,
        attributes,
        start: time - 60_000_000_000n,
        time,
        value: { kind, number: value },
      })),
    );
    const settings = await readSettings(client);
    for (const title of this.#settings ? settingChanges(this.#settings, settings) : [])
      this.#event('lantern.change', {
        'lantern.change.kind': 'setting',
        'lantern.change.title': `${this.#options.name}: ${title}`,
      });
    this.#settings = settings;
    if (this.#options.plans) await this.#planMost(client, sight);
  }

  async #planMost(client: pg.Client, sight: Sight): Promise<void> {
    const here = new URL(this.#options.dsn).pathname.slice(1);
    const most = [...this.#seen]
      .filter(([, { text, database }]) => text !== '' && database === here)
      .sort(([, a], [, b]) => b.samples - a.samples)
      .slice(0, PLANNED_AT_ONCE);
    for (const [id, { text, database }] of most) {
      const plan = await genericPlan(client, text, sight.version);
      const attributes = plan && this.#plans.take(this.#options.name, database, id, plan);
      if (attributes) this.#event('lantern.db.plan', attributes);
    }
    for (const it of this.#seen.values()) it.samples = Math.floor(it.samples / 2);
    if (this.#seen.size > 2_000) this.#seen = new Map([...this.#seen].filter(([, { samples }]) => samples > 0));
  }

  #event(name: string, attributes: Attributes): void {
    const time = BigInt(Date.now()) * 1_000_000n;
    this.#outbox.log({ resource: this.#resource, scope: SCOPE, time, severity: 0, body: null, attributes, event: name });
  }
}
