import { tmpdir } from 'node:os';
import pg from 'pg';
import type { Trial } from '../../src/core/planbench/trial.ts';
import { median } from '../../src/core/planbench/verdict.ts';
import { betterOnes, trialHeadline } from '../../src/core/planbench/words.ts';
import { type Cluster, removeCluster, startCluster } from '../../src/server/postgres/cluster.ts';
import { runTrial } from '../../src/trials/runTrial.ts';
import { databaseChecksum } from '../../tests/support/databaseChecksum.ts';
import { dataFolder } from '../../tests/support/installation.ts';
import { randomFrom } from '../../tests/support/made/random.ts';
import { runAgain } from './again.ts';
import { PLANTED_KINDS, planted } from './planted.ts';
import { REPORTS, seasonTables } from './season.ts';

/** A way is as good as the remedy when it saves this part of what that saves. */
const AS_GOOD = 0.8;
/** A remedy that is not so many times as fast is none that has to be found. */
const LEAST_HELP = 1.5;
const RUNS = 9;

/** What was said to be better, and what a rerun says of that. */
interface Confirmed {
  said: number;
  held: number;
  otherRows: number;
}

/**
 * The plan bench on databases it was not made with: planted slowness in random schemas (is what mends it found, or something as good?), then
 * reports over a season of bookings. Whatever is called better is run again apart from the trial, and nothing of any database may differ after.
 *
 * @param gigabytes of the season's tables @param databases how many random schemas @param first the seed of the first
 * @param about only the reports with these words
 */
export async function benchPlans(gigabytes = 1, databases = 36, first = 1, about = ''): Promise<void> {
  // On disk, as databases of that size are.
  const folder = dataFolder(tmpdir());
  process.env.DUSK_DATA_DIR = folder;
  const cluster = await startCluster(folder);
  const confirmed: Confirmed = { said: 0, held: 0, otherRows: 0 };
  try {
    await withoutVacuum(cluster);
    if (databases > 0) await benchPlanted(cluster, databases, first, confirmed);
    if (gigabytes > 0) await benchSeason(cluster, gigabytes, confirmed, about);
    console.log(
      `called better: ${confirmed.said}; faster in a rerun apart: ${confirmed.held}; with other rows: ${confirmed.otherRows}`,
    );
  } finally {
    await cluster.stop();
    removeCluster(folder);
  }
}

/** The server looks at tables by itself some time after they were filled, and keeps other statistics then: that would look as if we had left them. */
async function withoutVacuum({ url }: Cluster): Promise<void> {
  const admin = new pg.Client({ connectionString: url });
  await admin.connect();
  await admin.query('ALTER SYSTEM SET autovacuum = off');
  await admin.query('SELECT pg_reload_conf()');
  await admin.end();
}

async function benchPlanted(cluster: Cluster, databases: number, first: number, confirmed: Confirmed): Promise<void> {
  let found = 0;
  let changed = 0;
  let idle = 0;
  for (let seed = first; seed < first + databases; seed++) {
    const own = planted(PLANTED_KINDS[seed % PLANTED_KINDS.length], randomFrom(seed));
    await inDatabase(cluster, `planted_${seed}`, own.schema, async (client, dsn) => {
      const before = await databaseChecksum(client);
      const trial = await tried(own.text, dsn);
      if ((await databaseChecksum(client)) !== before) {
        changed++;
        console.log(`  DIFFERS after the trial: seed ${seed}`);
      }
      const original = trial.original!;
      const remedy = await runAgain(client, original, { ...original, ...own.remedy });
      if (remedy.ms > remedy.originalMs / LEAST_HELP) {
        idle++;
        console.log(
          `  not counted: ${own.kind}: ${ms(remedy.originalMs)} → ${ms(remedy.ms)} by the remedy, which is no great help here`,
        );
        return;
      }
      if (!remedy.isSame) throw new Error(`the remedy of "${own.kind}" gives other rows: ${own.text}`);
      const [best] = betterOnes(trial);
      const again = best && (await runAgain(client, original, best));
      if (again) count(confirmed, again);
      const isFound = again !== undefined && remedy.originalMs - again.ms >= AS_GOOD * (remedy.originalMs - remedy.ms);
      if (isFound) found++;
      console.log(
        `  ${isFound ? 'found ' : 'MISSED'} ${own.kind}: ${ms(remedy.originalMs)} → ${ms(remedy.ms)} by the remedy, ${again ? `${ms(again.ms)} by ${best.words}` : trialHeadline(trial)}`,
      );
    });
  }
  console.log(
    `planted: ${found} of ${databases - idle} found (${Math.round((found / Math.max(1, databases - idle)) * 100)} %); databases that differ after: ${changed}`,
  );
}

async function benchSeason(cluster: Cluster, gigabytes: number, confirmed: Confirmed, about: string): Promise<void> {
  const reports = REPORTS.filter(({ asks }) => asks.includes(about));
  const outcomes = { faster: 0, good: 0, unsure: 0, failed: 0 };
  await inDatabase(cluster, 'season', seasonTables(gigabytes), async (client, dsn) => {
    const size = await client.query('SELECT pg_database_size(current_database())::float8 AS bytes');
    console.log(`a season of ${(size.rows[0].bytes / 1e9).toFixed(2)} GB`);
    const before = await databaseChecksum(client);
    for (const { asks, text } of reports) {
      const began = performance.now();
      const trial = await tried(text, dsn).catch((error: Error) => error);
      const took = `${Math.round((performance.now() - began) / 1000)} s`;
      if (trial instanceof Error) {
        outcomes.failed++;
        console.log(`  failed ${asks}: ${trial.message} (${took})`);
        continue;
      }
      const [best] = betterOnes(trial);
      const again = best && (await runAgain(client, trial.original!, best));
      if (again) count(confirmed, again);
      outcomes[best ? 'faster' : trial.alternatives.some((it) => it.verdict?.is === 'unsure') ? 'unsure' : 'good']++;
      console.log(
        `  ${asks}: ${trialHeadline(trial)} (${took})${best ? `\n    ${best.words}; again ${ms(again.originalMs)} → ${ms(again.ms)}` : ` of ${ms(median(trial.original!.runs))}`}`,
      );
    }
    console.log(
      `reports: ${outcomes.faster} made faster, ${outcomes.good} good as they are, ${outcomes.unsure} unsure, ${outcomes.failed} failed, of ${reports.length}; the database ${(await databaseChecksum(client)) === before ? 'is as before' : 'DIFFERS'}`,
    );
  });
}

/** Makes a database, works in it, and drops it. */
async function inDatabase(
  cluster: Cluster,
  name: string,
  schema: string,
  work: (client: pg.Client, dsn: string) => Promise<void>,
): Promise<void> {
  const admin = new pg.Client({ connectionString: cluster.adminUrl });
  await admin.connect();
  const url = new URL(cluster.adminUrl);
  url.pathname = `/${name}`;
  try {
    await admin.query(`CREATE DATABASE ${name}`);
    const client = new pg.Client({ connectionString: url.href });
    await client.connect();
    try {
      await client.query('SET synchronous_commit = off');
      await client.query(schema);
      await client.query('VACUUM (ANALYZE)');
      await client.query('CREATE EXTENSION IF NOT EXISTS hypopg').catch(() => {});
      await work(client, url.href);
    } finally {
      await client.end();
    }
  } finally {
    await admin.query(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`).finally(() => admin.end());
  }
}

async function tried(text: string, dsn: string): Promise<Trial> {
  let trial = { begun: Date.now() } as Trial;
  const request = {
    server: 'bench',
    statementId: '',
    text,
    valueSets: [],
    kinds: ['index', 'text', 'setting', 'statistics'] as const,
    runs: RUNS,
    most: 14,
    limit: 'original' as const,
  };
  await runTrial(
    request,
    { name: 'bench', dsn, use: 'copy', environment: '', readRole: '' },
    {
      isStopped: () => false,
      onSession: () => {},
      tell: (change) => {
        trial = { ...trial, ...change };
      },
    },
  );
  return trial;
}

function count(confirmed: Confirmed, { originalMs, ms: own, isSame }: { originalMs: number; ms: number; isSame: boolean }): void {
  confirmed.said++;
  if (own < originalMs) confirmed.held++;
  if (!isSame) confirmed.otherRows++;
}

const ms = (value: number) => `${value < 10 ? value.toFixed(2) : Math.round(value)} ms`;
