import { stat } from 'node:fs/promises';
import { parseArgs } from 'node:util';
import { SIGNALS, type Signal } from '../../formats/otlp/wire/messages.ts';
import { sendOtlp } from '../../formats/otlp/wire/send.ts';
import { fileKind } from '../files/fileKind.ts';
import { filesIn } from '../files/filesIn.ts';
import { readFile } from '../files/readFile.ts';

/*
 * Brings files of telemetry in through the door of a running application. What was brought in before is known by its content: a file that
 * was interrupted can be given again, and goes on where it stopped.
 */

const SENDERS = 3;
const say = (text: string) => process.stderr.write(text);

interface Tally {
  records: number;
  readonly refused: Map<string, number>;
}

async function importFile(path: string, to: string, signal: Signal | undefined, service: string | undefined): Promise<Tally> {
  const kind = fileKind(path, signal);
  if ('unknown' in kind) throw new Error(kind.unknown);
  const { size } = await stat(path);
  const tally: Tally = { records: 0, refused: new Map() };
  const parts = readFile(path, kind, service);
  let told = 0;
  // Some senders at once; a part is read only when one of them is free, so that a file of any size takes little room.
  const sender = async () => {
    for (;;) {
      const { done, value } = await parts.next();
      if (done) return;
      for (const [reason, count] of value.refused) tally.refused.set(reason, (tally.refused.get(reason) ?? 0) + count);
      if (value.records > 0) {
        const words = await sendOtlp(to, value.signal, value.body);
        if (words !== '') tally.refused.set(words, (tally.refused.get(words) ?? 0) + 1);
      }
      tally.records += value.records;
      const percent = size > 0 ? Math.floor((100 * value.read) / size) : 100;
      if (percent >= told + 5) {
        told = percent;
        say(`\r  ${path}: ${percent} %, ${tally.records.toLocaleString('en')} records `);
      }
    }
  };
  await Promise.all(Array.from({ length: SENDERS }, sender));
  if (told > 0) say('\r');
  return tally;
}

try {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: {
      to: { type: 'string', default: 'http://127.0.0.1:4680' },
      signal: { type: 'string' },
      service: { type: 'string' },
    },
  });
  if (positionals.length === 0) throw new Error('name a file or a folder');
  const signal = SIGNALS.find((it) => it === values.signal);
  if (values.signal !== undefined && !signal) throw new Error(`--signal ${values.signal} is none of ${SIGNALS.join(', ')}`);
  let failed = 0;
  for (const given of positionals)
    for (const path of await filesIn(given)) {
      try {
        const { records, refused } = await importFile(path, values.to, signal, values.service);
        say(`  ${path}: ${records.toLocaleString('en')} records\n`);
        for (const [reason, count] of refused) say(`    ${count} × ${reason}\n`);
      } catch (error) {
        failed++;
        say(`\r  ${path}: ${(error as Error).message}\n`);
      }
    }
  if (failed > 0)
    throw new Error(`${failed} ${failed === 1 ? 'file was' : 'files were'} not brought in whole; the lines above say why`);
} catch (error) {
  say(`dusk import: ${(error as Error).message}\n`);
  process.exitCode = 1;
}
