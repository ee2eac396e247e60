import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { writeAudit } from '../../store/accounts/audit.ts';
import { closeConnections } from '../../store/database/connection.ts';
import { findPerson, type PersonReport, removePerson } from '../../store/retention/person.ts';
import { urlOfRunning } from '../postgres/cluster.ts';

/* `./dusk person find|remove ID`: what is kept that names a person, across all signals; and taking it out. */

/** The report, a line for each signal and table. */
function personLines({ signals, tables }: PersonReport, isRemoved: boolean): string[] {
  const done = isRemoved ? 'taken out' : 'found';
  return [
    ...signals.map(({ signal, values, blocks }) => `${signal}: ${values} values ${done}, in ${blocks} blocks of records`),
    ...(tables.length === 0 ? ['no other table holds it'] : []),
    ...tables.map(({ table, rows }) => `${table}: ${rows} rows hold it${isRemoved ? ' still: look at them by hand' : ''}`),
  ];
}

try {
  const { values, positionals } = parseArgs({ allowPositionals: true, options: { data: { type: 'string', default: '.dusk' } } });
  const [what, id] = positionals;
  if (positionals.length !== 2 || (what !== 'find' && what !== 'remove'))
    throw new Error('say find or remove, and the id as senders give it, such as the value of user.id');
  process.env.DATABASE_URL ||= urlOfRunning(resolve(values.data));
  const isRemoved = what === 'remove';
  const report = await (isRemoved ? removePerson(id) : findPerson(id));
  // The id itself is what is to be forgotten.
  const about = { values: report.signals.reduce((sum, it) => sum + it.values, 0) };
  await writeAudit({ userId: '', by: 'the command line', address: '', action: `person ${what}`, about, status: 200 });
  await closeConnections();
  process.stdout.write(`${personLines(report, isRemoved).join('\n')}\n`);
  if (isRemoved) process.stdout.write('Backups that were made before hold it still. Columns are built anew in the background.\n');
} catch (error) {
  process.stderr.write(`dusk person: ${(error as Error).message}\n`);
  process.exit(1);
}
