import { build, isBuilt } from '../src/server/build.ts';
import { install } from '../tests/support/installation.ts';
import { firstAdministrator, WITH_ACCOUNTS } from '../tests/support/people.ts';
import { print, sendBatches, spansOf } from './support/load.ts';

const SENDERS = 4;
const WARM_UP = 300;
const ROUNDS = 6;

/**
 * Spans a second through the door with a token of an environment, against without accounts: two installations beside each other, which take
 * the same batches by turns.
 *
 * @param batches of a thousand spans each, for each of the two
 */
export async function benchTokens(batches = 360): Promise<void> {
  if (!isBuilt()) await build();
  const open = await install({ onDisk: true });
  const guarded = await install({ onDisk: true, reach: WITH_ACCOUNTS });
  try {
    const ines = await firstAdministrator(guarded);
    const made = async (environment: string | null) =>
      (await ines.json<{ token: string }>('/api/intake/tokens', { name: 'bench', environment })).token;
    const token = await made(null);
    const placed = await made('bench');
    const rate = async (url: string, from: number, count: number, bearer = '') => {
      const numbers = Array.from({ length: count }, (_, at) => from + at);
      const { seconds } = await sendBatches(url, numbers, SENDERS, spansOf, '/v1/traces', bearer);
      return (count * 1000) / seconds;
    };
    await rate(open.url, 100_000, WARM_UP);
    await rate(guarded.url, 100_000, WARM_UP, token);
    const each = Math.max(1, Math.round(batches / ROUNDS));
    const ratios = { token: [] as number[], environment: [] as number[] };
    for (let round = 0; round < ROUNDS; round++) {
      const from = round * each;
      const before = await rate(open.url, from, each);
      const withToken = await rate(guarded.url, from, each, token);
      const withEnvironment = await rate(guarded.url, 50_000 + from, each, placed);
      const after = await rate(open.url, 50_000 + from, each);
      const reference = (before + after) / 2;
      ratios.token.push(withToken / reference);
      ratios.environment.push(withEnvironment / reference);
    }
    print('with a token, against without accounts', words(ratios.token));
    print('with a token that says the environment', words(ratios.environment));
  } finally {
    await open.stop();
    await guarded.stop();
  }
}

function words(ratios: readonly number[]): string {
  const sorted = [...ratios].sort((a, b) => a - b);
  const middle = (sorted[Math.floor((sorted.length - 1) / 2)] + sorted[Math.ceil((sorted.length - 1) / 2)]) / 2;
  return `${middle.toFixed(3)} (${ratios.map((it) => it.toFixed(2)).join(', ')})`;
}
