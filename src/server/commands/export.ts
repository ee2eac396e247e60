import { createWriteStream } from 'node:fs';
import { rename, rm } from 'node:fs/promises';
import { Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { ReadableStream } from 'node:stream/web';
import { parseArgs } from 'node:util';
import { createGzip } from 'node:zlib';
import { SIGNALS } from '../../formats/otlp/wire/messages.ts';
import { tokenHeader } from '../../formats/otlp/wire/tokenHeader.ts';

/* Writes what is kept of a signal as OTLP JSON lines: an export request a line, to a file or to standard output. */

const say = (text: string) => process.stderr.write(text);
const TELL_EVERY = 8 * 1024 * 1024;

try {
  const { values } = parseArgs({
    options: {
      signal: { type: 'string' },
      from: { type: 'string' },
      to: { type: 'string' },
      out: { type: 'string' },
      url: { type: 'string', default: 'http://127.0.0.1:4680' },
    },
  });
  if (!SIGNALS.some((it) => it === values.signal)) throw new Error(`--signal must be one of ${SIGNALS.join(', ')}`);
  const url = new URL(`/api/export/${values.signal}`, values.url);
  if (values.from) url.searchParams.set('from', values.from);
  if (values.to) url.searchParams.set('to', values.to);
  const answer = await fetch(url, { headers: tokenHeader() }).catch((error: Error) => {
    throw new Error(`${values.url} cannot be reached: ${error.message}`);
  });
  if (!answer.ok || !answer.body) throw new Error(((await answer.json()) as { error: string }).error);
  let lines = 0;
  let bytes = 0;
  let told = 0;
  const counting = new Transform({
    transform: (chunk: Buffer, _, done) => {
      bytes += chunk.length;
      for (const byte of chunk) if (byte === 10) lines++;
      if (values.out && bytes > told + TELL_EVERY) {
        told = bytes;
        say(`\r  ${lines.toLocaleString('en')} requests, ${(bytes / 1e6).toFixed(0)} MB `);
      }
      done(null, chunk);
    },
  });
  const source = Readable.fromWeb(answer.body as ReadableStream);
  if (values.out) {
    // Under another name until it is whole, so that nobody takes a part for all.
    const part = `${values.out}.part`;
    const sinks = values.out.endsWith('.gz') ? [createGzip(), createWriteStream(part)] : [createWriteStream(part)];
    try {
      await pipeline([source, counting, ...sinks]);
    } catch (error) {
      await rm(part, { force: true });
      throw error;
    }
    await rename(part, values.out);
    say(`\r  ${values.out}: ${lines.toLocaleString('en')} requests, ${(bytes / 1e6).toFixed(1)} MB of JSON\n`);
  } else await pipeline([source, counting, process.stdout]);
} catch (error) {
  say(`dusk export: ${(error as Error).message}\n`);
  process.exitCode = 1;
}
