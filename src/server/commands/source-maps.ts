import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import { parseArgs } from 'node:util';
import { tokenHeader } from '../../formats/otlp/wire/tokenHeader.ts';
import { filesIn } from '../files/filesIn.ts';

/* `./dusk source-maps`: stores the source maps of a release, so that stacks of browsers are shown as the code was written. */

try {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: {
      url: { type: 'string', default: 'http://127.0.0.1:4680' },
      app: { type: 'string' },
      release: { type: 'string' },
    },
  });
  const { url, app, release } = values;
  if (!app || !release || positionals.length === 0)
    throw new Error('say the folder of the build, --app NAME and --release R, both as the pages name them');
  const files = (await Promise.all(positionals.map(filesIn))).flat().filter((file) => file.endsWith('.map'));
  if (files.length === 0) throw new Error(`there is no .map file in ${positionals.join(', ')}`);
  let stored = 0;
  for (const file of files) {
    const fault = await store(url, { app, release, file: basename(file, '.map'), map: await readFile(file, 'utf8') });
    if (fault === undefined) stored++;
    else process.stderr.write(`${file}: ${fault}\n`);
  }
  process.stdout.write(`${stored} of ${files.length} source maps of ${app} ${release} are stored\n`);
  if (stored < files.length) process.exitCode = 1;
} catch (error) {
  process.stderr.write(`dusk source-maps: ${(error as Error).message}\n`);
  process.exitCode = 1;
}

/** @returns why it is not stored; undefined when it is */
async function store(url: string, body: Record<string, string>): Promise<string | undefined> {
  const answer = await fetch(new URL('/api/visitors/source-maps', url), {
    method: 'PUT',
    headers: { 'content-type': 'application/json', ...tokenHeader() },
    body: JSON.stringify(body),
  });
  if (answer.ok) return undefined;
  const { error } = (await answer.json().catch(() => ({}))) as { error?: string };
  return error ?? `the application answered ${answer.status}`;
}
