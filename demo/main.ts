import { parseArgs } from 'node:util';
import { simulateDay } from './day.ts';
import { send } from './sending/send.ts';

const HOURS = 3;

const { values } = parseArgs({
  options: {
    to: { type: 'string', default: 'http://127.0.0.1:4680' },
    end: { type: 'string' },
    seed: { type: 'string', default: '1' },
  },
});

try {
  const endMs = values.end === undefined ? Math.floor(Date.now() / 60_000) * 60_000 : Date.parse(values.end);
  const seed = Number(values.seed);
  if (Number.isNaN(endMs)) throw new Error(`--end ${values.end} is not a time`);
  if (!Number.isInteger(seed)) throw new Error(`--seed ${values.seed} is not a whole number`);
  const spans = simulateDay({ endMs, hours: HOURS, seed });
  let told = -1;
  await send(values.to, spans, (count) => {
    const tenth = Math.floor((10 * count) / spans.length);
    if (tenth > told)
      process.stderr.write(`  ${count.toLocaleString('en')} of ${spans.length.toLocaleString('en')} spans sent\n`);
    told = tenth;
  });
} catch (error) {
  process.stderr.write(`demo: ${(error as Error).message}\n`);
  process.exitCode = 1;
}
