import type pg from 'pg';

/** What a server lets the collector see. */
export interface Sight {
  /** As `server_version_num`. */
  readonly version: number;
  readonly versionText: string;
  readonly most: number;
  readonly hasStatements: boolean;
  readonly canSeeOthers: boolean;
  readonly hasQueryId: boolean;
  readonly timesReads: boolean;
  /** What is missing, what that costs, and what to do about it. */
  readonly lacks: readonly string[];
}

const OLDEST = 130_000;

/** Finds out what can be seen. @throws Error when the server is too old */
export async function sightOf(client: pg.Client): Promise<Sight> {
  const { rows } = await client.query<{
    version: number;
    text: string;
    most: number;
    monitor: boolean;
    extension: boolean;
    preloaded: boolean;
    compute: string | null;
    timing: string;
    user: string;
  }>(`SELECT current_setting('server_version_num')::int AS version, current_setting('server_version') AS text,
      current_setting('max_connections')::int AS most, pg_has_role(current_user, 'pg_monitor', 'USAGE') AS monitor,
      EXISTS (SELECT FROM pg_extension WHERE extname = 'pg_stat_statements') AS extension,
      coalesce(current_setting('shared_preload_libraries', true), '') LIKE '%pg_stat_statements%' AS preloaded,
      current_setting('compute_query_id', true) AS compute, current_setting('track_io_timing') AS timing, current_user AS "user"`);
  const [it] = rows;
  if (it.version < OLDEST) throw new Error(`PostgreSQL ${it.text} is too old: 13 or later is needed`);
  const hasStatements = it.extension && it.preloaded;
  const hasQueryId = it.version >= 140_000 && (it.compute === 'on' || (it.compute === 'auto' && it.preloaded));
  const lacks: string[] = [];
  if (!it.monitor) lacks.push(`Statements of other users are hidden. Run: GRANT pg_monitor TO ${it.user};`);
  if (!hasStatements)
    lacks.push(
      it.preloaded
        ? 'No counters of statements. Run: CREATE EXTENSION pg_stat_statements;'
        : 'No counters of statements. Add pg_stat_statements to shared_preload_libraries, restart the server, then run: CREATE EXTENSION pg_stat_statements;',
    );
  if (it.timing !== 'on') lacks.push('How long reads take is not timed. Set track_io_timing = on.');
  return {
    version: it.version,
    versionText: it.text,
    most: it.most,
    hasStatements,
    canSeeOthers: it.monitor,
    hasQueryId,
    timesReads: it.timing === 'on',
    lacks,
  };
}
