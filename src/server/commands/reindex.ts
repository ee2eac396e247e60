import { parseArgs } from 'node:util';
import { tokenHeader } from '../../formats/otlp/wire/tokenHeader.ts';

/* `./dusk reindex`: has a running application build the columns of its requests anew. */

const { values } = parseArgs({ options: { url: { type: 'string', default: 'http://127.0.0.1:4680' } } });

try {
  const answer = await fetch(new URL('/api/intake/reindex', values.url), {
    method: 'POST',
    headers: { 'content-type': 'application/json', ...tokenHeader() },
    body: '{}',
  });
  const body = (await answer.json()) as { slots?: number; error?: string };
  if (!answer.ok) throw new Error(body.error ?? `the application answered ${answer.status}`);
  process.stdout.write(
    `The columns of ${body.slots} stretches of ten minutes are being built anew. Pages stay usable meanwhile.\n`,
  );
} catch (error) {
  process.stderr.write(`dusk reindex: ${values.url}: ${(error as Error).message}\n`);
  process.exit(1);
}
