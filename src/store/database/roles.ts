import { createHash } from 'node:crypto';
import pg from 'pg';
import { withClient } from './oneClient.ts';

/** Who works with the store of a private cluster: owns its own database, and has no power over the cluster. */
export const STORE_ROLE = 'dusk_lantern';
/** Whom databases belong to on which statements are tried: it reaches nothing else of the cluster. */
export const TRIALS_ROLE = 'dusk_trials';
/** Who may only read them. */
export const TRIALS_READER = 'dusk_trials_reader';

/** The schemas that the migrations fill. */
const SCHEMAS = ['public', 'drizzle'];

/** The password of `TRIALS_ROLE`, which who has the store's can work out, and not the other way round. */
export function trialsPassword(storePassword: string): string {
  return createHash('sha256').update(`trials ${storePassword}`).digest('base64url');
}

interface Roles {
  /** The database of the store. */
  readonly database: string;
  /** What the store's role comes in by from now on. */
  readonly password: string;
  /** Whether databases are made on which statements are tried. */
  readonly trials: boolean;
}

/**
 * Sees to it that a private cluster has its roles, and that the store belongs to the plain one: also what an earlier application made as the
 * owner of the whole cluster.
 *
 * @param adminUrl the cluster's owner, at the store's database
 */
export async function makeRoles(adminUrl: string, { database, password, trials }: Roles): Promise<void> {
  await withClient(adminUrl, async (admin) => {
    const { rows } = await admin.query<{ rolname: string }>('SELECT rolname FROM pg_roles');
    const there = new Set(rows.map(({ rolname }) => rolname));
    if (!there.has(STORE_ROLE)) await admin.query(`CREATE ROLE ${STORE_ROLE}`);
    await admin.query(
      `ALTER ROLE ${STORE_ROLE} LOGIN NOSUPERUSER NOCREATEROLE ${trials ? 'CREATEDB' : 'NOCREATEDB'} PASSWORD ${pg.escapeLiteral(password)}`,
    );
    // It may read sessions and counters, so that the store can be watched like any other database.
    await admin.query(`GRANT pg_monitor TO ${STORE_ROLE}`);
    await admin.query(`ALTER DATABASE ${pg.escapeIdentifier(database)} OWNER TO ${STORE_ROLE}`);
    await admin.query(`REVOKE CONNECT ON DATABASE ${pg.escapeIdentifier(database)} FROM PUBLIC`);
    await giveOver(admin);
    if (trials) await makeTrialRoles(admin, there, trialsPassword(password));
  });
  if (!trials) return;
  const template = new URL(adminUrl);
  template.pathname = '/template1';
  // For hypothetical indexes, in all that are made from it: without it, indexes are built to look at their plans.
  await withClient(template.href, (admin) => admin.query('CREATE EXTENSION IF NOT EXISTS hypopg').catch(() => {}));
}

async function makeTrialRoles(admin: pg.Client, there: ReadonlySet<string>, password: string): Promise<void> {
  if (!there.has(TRIALS_READER)) await admin.query(`CREATE ROLE ${TRIALS_READER} NOLOGIN`);
  if (!there.has(TRIALS_ROLE)) await admin.query(`CREATE ROLE ${TRIALS_ROLE} LOGIN CONNECTION LIMIT 8`);
  await admin.query(`ALTER ROLE ${TRIALS_ROLE} PASSWORD ${pg.escapeLiteral(password)}`);
  await admin.query(`GRANT ${TRIALS_READER} TO ${TRIALS_ROLE}`);
  await admin.query(`GRANT ${TRIALS_ROLE} TO ${STORE_ROLE}`);
}

/** What stands in the store's schemas and belongs to somebody else, as the statement that changes it. What an extension made stays. */
const TO_GIVE = `
  SELECT format('ALTER SCHEMA %I OWNER TO ${STORE_ROLE}', nspname) AS change, 0 AS turn
    FROM pg_namespace WHERE nspname = ANY($1) AND nspowner NOT IN (SELECT oid FROM pg_roles WHERE rolname IN ('${STORE_ROLE}', 'pg_database_owner'))
  UNION ALL
  SELECT format('ALTER %s %I.%I OWNER TO ${STORE_ROLE}',
      CASE relkind WHEN 'S' THEN 'SEQUENCE' WHEN 'v' THEN 'VIEW' WHEN 'm' THEN 'MATERIALIZED VIEW' ELSE 'TABLE' END, nspname, relname), 1
    FROM pg_class c JOIN pg_namespace n ON n.oid = relnamespace
    WHERE nspname = ANY($1) AND relkind IN ('r', 'p', 'S', 'v', 'm')
      AND relowner <> (SELECT oid FROM pg_roles WHERE rolname = '${STORE_ROLE}')
      AND NOT EXISTS (SELECT FROM pg_depend WHERE classid = 'pg_class'::regclass AND objid = c.oid AND
        (deptype = 'e' OR (relkind = 'S' AND deptype IN ('a', 'i') AND refclassid = 'pg_class'::regclass)))
  UNION ALL
  SELECT format('ALTER ROUTINE %s OWNER TO ${STORE_ROLE}', p.oid::regprocedure), 2
    FROM pg_proc p JOIN pg_namespace n ON n.oid = pronamespace
    WHERE nspname = ANY($1) AND proowner <> (SELECT oid FROM pg_roles WHERE rolname = '${STORE_ROLE}')
      AND NOT EXISTS (SELECT FROM pg_depend WHERE classid = 'pg_proc'::regclass AND objid = p.oid AND deptype = 'e')
  UNION ALL
  SELECT format('ALTER TYPE %I.%I OWNER TO ${STORE_ROLE}', nspname, typname), 3
    FROM pg_type t JOIN pg_namespace n ON n.oid = typnamespace
    WHERE nspname = ANY($1) AND typtype IN ('e', 'd') AND typowner <> (SELECT oid FROM pg_roles WHERE rolname = '${STORE_ROLE}')
      AND NOT EXISTS (SELECT FROM pg_depend WHERE classid = 'pg_type'::regclass AND objid = t.oid AND deptype = 'e')
  ORDER BY turn`;

/** One statement each: a store has more tables than one transaction may lock. Where it is broken off, the next start goes on. */
async function giveOver(admin: pg.Client): Promise<void> {
  const { rows } = await admin.query<{ change: string }>(TO_GIVE, [SCHEMAS]);
  for (const { change } of rows) await admin.query(change);
}

/** Works out the statistics of all databases of a cluster anew. @param adminUrl the cluster's owner, at any of them */
export async function analyzeAll(adminUrl: string): Promise<void> {
  const names = await withClient(adminUrl, async (admin) => {
    const { rows } = await admin.query<{ datname: string }>('SELECT datname FROM pg_database WHERE datallowconn');
    return rows.map(({ datname }) => datname);
  });
  for (const name of names) {
    const url = new URL(adminUrl);
    url.pathname = `/${name}`;
    await withClient(url.href, (admin) => admin.query('ANALYZE'));
  }
}
