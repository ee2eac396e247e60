import { mkdirSync } from 'node:fs';
import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { restore } from '../backup/backup.ts';

/* `./dusk restore FILE`: a new data folder from a backup. */

try {
  const { values, positionals } = parseArgs({ allowPositionals: true, options: { data: { type: 'string', default: '.dusk' } } });
  if (positionals.length !== 1) throw new Error('name the file to restore from');
  const data = resolve(values.data);
  mkdirSync(data, { recursive: true, mode: 0o755 });
  const { made, version } = await restore(positionals[0], data);
  process.stdout.write(
    `${data} holds what was kept at ${made}, by version ${version}. Start it: ./dusk up --data ${values.data}\n`,
  );
} catch (error) {
  process.stderr.write(`dusk restore: ${(error as Error).message}\n`);
  process.exit(1);
}
