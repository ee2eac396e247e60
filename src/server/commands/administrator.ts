import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { closeConnections } from '../../store/database/connection.ts';
import { holderOf } from '../dataLock.ts';
import { urlOfRunning } from '../postgres/cluster.ts';
import { administratorLink } from './administratorLink.ts';

/* `./dusk administrator`: a link by which somebody becomes an administrator, for who can reach the data of the installation. */

const { values } = parseArgs({ options: { data: { type: 'string', default: '.dusk' } } });
const data = resolve(values.data);

try {
  process.env.DATABASE_URL ||= urlOfRunning(data);
  const path = await administratorLink();
  await closeConnections();
  process.stdout.write(`Good once, and for a day:\n${holderOf(data)?.url ?? ''}${path}\n`);
} catch (error) {
  process.stderr.write(`dusk administrator: ${(error as Error).message}\n`);
  process.exit(1);
}
