import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { holderOf } from '../dataLock.ts';
import { upgradeStore } from '../postgres/upgrade.ts';

/* `./dusk upgrade-store`: the store of a data folder by the newest PostgreSQL that is installed. */

try {
  const { values } = parseArgs({ options: { data: { type: 'string', default: '.dusk' } } });
  if (process.env.DATABASE_URL) throw new Error('DATABASE_URL names a PostgreSQL of yours: upgrade it yourself');
  const data = resolve(values.data);
  const holder = holderOf(data);
  if (holder) throw new Error(`Dusk Lantern runs on ${data} (process ${holder.pid}): stop it first`);
  const { from, to, old } = await upgradeStore(data);
  process.stdout.write(
    `The store was of PostgreSQL ${from} and is of ${to} now. Start it: ./dusk up --data ${values.data}\nWhen you are content, remove what it was: ${old}\n`,
  );
} catch (error) {
  process.stderr.write(`dusk upgrade-store: ${(error as Error).message}\n`);
  process.exit(1);
}
