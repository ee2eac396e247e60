import { loadParser } from '../../src/formats/database/fingerprint.ts';
import { sightOf } from './check.ts';
import { Collector, connect } from './collect.ts';
import { type CollectorOptions, collectorOptions } from './options.ts';
import { seeSessions } from './sessions.ts';
import { StatementNames } from './statementNames.ts';

/* `./dusk collect postgres`: samples what the sessions of a PostgreSQL server wait for, and sends that as OTLP. */

const say = (words: string) => process.stderr.write(`collect postgres: ${words}\n`);

try {
  const options = collectorOptions(process.argv.slice(2));
  if (options.check) await check(options);
  else await collect(options);
} catch (error) {
  say((error as Error).message);
  process.exitCode = 1;
}

async function collect(options: CollectorOptions): Promise<void> {
  const collector = new Collector(options, say);
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => collector.stop());
  await collector.run();
}

/** Tells what would be seen, and sends nothing. */
async function check(options: CollectorOptions): Promise<void> {
  const client = await connect(options);
  try {
    const sight = await sightOf(client);
    await loadParser();
    const { sessions, idle } = await seeSessions(client, new StatementNames(), sight.hasQueryId);
    const lines = [
      `${options.name}: PostgreSQL ${sight.versionText}, ${sight.most} sessions at most`,
      `sessions        ${sessions.length} active or in a transaction, ${idle} idle`,
      `other users     ${sight.canSeeOthers ? 'their statements are seen' : 'their statements are hidden'}`,
      `counters        ${sight.hasStatements ? 'of pg_stat_statements' : 'none'}`,
      `statement ids   ${sight.hasQueryId ? 'of the server, read once each' : 'by the text, which takes longer'}`,
      `time of reads   ${sight.timesReads ? 'timed' : 'not timed'}`,
      `plans           ${options.plans ? 'asked for, never executed; needs SELECT on the tables' : 'not asked for (--plans)'}`,
      ...sight.lacks.map((it) => `missing         ${it}`),
    ];
    process.stdout.write(`${lines.join('\n')}\n`);
  } finally {
    await client.end();
  }
}
