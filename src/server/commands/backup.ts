import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { backUp } from '../backup/backup.ts';
import { urlOfRunning } from '../postgres/cluster.ts';

/* `./dusk backup FILE`: all that a running installation keeps, in one file. */

try {
  const { values, positionals } = parseArgs({ allowPositionals: true, options: { data: { type: 'string', default: '.dusk' } } });
  if (positionals.length !== 1) throw new Error('name one file to write to');
  const data = resolve(values.data);
  const { made } = await backUp(process.env.DATABASE_URL || urlOfRunning(data), data, positionals[0]);
  process.stdout.write(`${positionals[0]} holds all that was kept at ${made}. Whoever has it has everything: keep it safe.\n`);
} catch (error) {
  process.stderr.write(`dusk backup: ${(error as Error).message}\n`);
  process.exit(1);
}
