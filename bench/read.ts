import pg from 'pg';
import { encodeTracesProtobuf } from '../src/formats/otlp/span/encodeProtobuf.ts';
import { build, isBuilt } from '../src/server/build.ts';
import { type Installation, install } from '../tests/support/installation.ts';
import { getJson } from '../tests/support/sending.ts';
import { BATCHES_A_ROUND, batchOf, PER_BATCH, print, ROUND_MS, sendBatches } from './support/load.ts';
import { mediansByTurns } from './support/measure.ts';

const RUNS = 41;
const WARM_UP = 10;
const HOUR_MS = 3_600_000;

/**
 * How long the application takes to answer the questions that its pages ask, over a day of kept spans and then over ten times as much with
 * the same window, each against SQL written by hand for the same question on the same tables. How much slower it is with ten times as much
 * is told in units of work for PostgreSQL that has nothing to do with what is kept.
 *
 * @param rounds of three simulated hours each that make the first fill; the second is ten times as many
 */
export async function benchRead(rounds = 8): Promise<void> {
  if (!isBuilt()) await build();
  const dusk = await install({ onDisk: true });
  const client = new pg.Client({ connectionString: dusk.cluster.url });
  await client.connect();
  try {
    // The newest hours of both fills are the same: the window that is asked for.
    await fill(dusk.url, 0, rounds);
    const first = await measure(dusk, client, rounds);
    await fill(dusk.url, rounds, 10 * rounds);
    const second = await measure(dusk, client, 10 * rounds);
    print('ten times as much kept', first.map((units, at) => (second[at] / units).toFixed(2)).join(', '));
  } finally {
    await client.end();
    await dusk.stop();
  }
}

/** Each round lies three hours before the one that came before it. */
async function fill(url: string, from: number, to: number): Promise<void> {
  for (let round = from; round < to; round++) {
    const batches = Array.from({ length: BATCHES_A_ROUND }, (_, at) => round * BATCHES_A_ROUND + at);
    await sendBatches(url, batches, 4, (batch) => encodeTracesProtobuf(batchOf(batch, round * ROUND_MS)));
  }
}

async function measure(dusk: Installation, client: pg.Client, rounds: number): Promise<number[]> {
  await client.query('VACUUM ANALYZE');
  const spans = rounds * BATCHES_A_ROUND * PER_BATCH;
  process.stdout.write(`\n${(spans / 1e6).toFixed(1)} million spans over ${(rounds * ROUND_MS) / HOUR_MS} h\n`);
  const { kept } = await getJson(dusk.url, '/api/requests/series');
  const to = Date.parse(kept.to);
  const window = (ms: number) => `from=${new Date(to - ms).toISOString()}&to=${new Date(to).toISOString()}`;
  const hour = window(HOUR_MS);
  const nanos = (ms: number) => `${Math.floor(ms)}000000`;
  const [fromNs, toNs] = [nanos(to - HOUR_MS), nanos(to)];
  const days = [Math.floor((to - HOUR_MS) / 86_400_000) - 1, Math.floor(to / 86_400_000) + 1];
  const minutes = (ms: number) => [Math.floor((to - ms) / 60_000), Math.floor(to / 60_000) + 1];
  const { traces: newest } = await getJson(dusk.url, `/api/traces?${hour}&limit=1000&sort=-start`);
  const { operations } = await getJson(dusk.url, `/api/operations?${hour}`);
  const ids: string[] = newest.map((it: { traceId: string }) => it.traceId);
  const operation: number = operations[0].id;
  let next = 0;
  const nextId = () => ids[next++ % ids.length];

  const results: number[] = [];
  const compare = async (what: string, path: () => string, sql: () => [string, unknown[]]) => {
    const ask = async () => {
      const answer = await fetch(dusk.url + path());
      await answer.arrayBuffer();
      if (!answer.ok) throw new Error(`${answer.status} for ${what}`);
    };
    const byHand = async () => client.query(...sql());
    const unit = async () => client.query('SELECT count(md5(i::text)) FROM generate_series(1, 20000) AS i');
    await mediansByTurns(WARM_UP, [ask, byHand, unit]);
    const [ms, reference, unitMs] = await mediansByTurns(RUNS, [ask, byHand, unit]);
    results.push(ms / unitMs);
    const times = (ms / reference).toFixed(2);
    print(what, `${ms.toFixed(1)} ms, ${times} × SQL by hand (${reference.toFixed(1)} ms); unit ${unitMs.toFixed(1)} ms`);
  };

  await compare(
    'a trace by its id',
    () => `/api/traces/${nextId()}`,
    () => [
      'SELECT b.data FROM trace t JOIN span_block b ON b.day = t.day AND b.block_id = ANY (t.blocks) WHERE t.trace_id = $1',
      [Buffer.from(nextId(), 'hex')],
    ],
  );
  await compare(
    'the list, 1 h, two filters',
    () => `/api/traces?${hour}&service=berths&minDurationMs=100&limit=100`,
    () => [
      `WITH ids AS (SELECT array_agg(id) AS ids FROM operation WHERE service = 'berths'), found AS (
        SELECT t.* FROM trace t, ids WHERE day BETWEEN $1 AND $2 AND start_ns >= $3 AND start_ns < $4 AND operation_ids && ids
          AND duration_ns >= 100000000)
      SELECT *, count(*) OVER () FROM found ORDER BY duration_ns DESC, trace_id DESC LIMIT 100`,
      [...days, fromNs, toNs],
    ],
  );
  await compare(
    'operations, 1 h',
    () => `/api/operations?${hour}`,
    () => [
      `SELECT o.service, o.name, m.* FROM (SELECT key_id, sum(calls), sum(failures), sum(ok_ns), sum(failed_ns), array_agg(sketch)
        FROM operation_minute WHERE key_id > 0 AND day BETWEEN $1 AND $2 AND minute >= $3 AND minute < $4 GROUP BY key_id) m JOIN operation o ON o.id = m.key_id`,
      [...days, ...minutes(HOUR_MS)],
    ],
  );
  await compare(
    'one operation, 24 h by the minute',
    () => `/api/operations/${operation}/series?${window(24 * HOUR_MS)}`,
    () => [
      `SELECT minute, sum(calls), sum(failures), sum(ok_ns), sum(failed_ns), array_agg(sketch) FROM operation_minute
        WHERE key_id = $5 AND day BETWEEN $1 AND $2 AND minute >= $3 AND minute < $4 GROUP BY minute ORDER BY minute`,
      [days[0] - 1, days[1], ...minutes(24 * HOUR_MS), operation],
    ],
  );
  await compare(
    'the ribbon, all that is kept',
    () => '/api/requests/series',
    () => [
      'SELECT minute, sum(calls), sum(failures), array_agg(sketch) FROM operation_minute WHERE key_id = 0 AND day > 0 GROUP BY minute',
      [],
    ],
  );
  return results;
}
