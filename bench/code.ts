import { writeFileSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { middle } from '../src/core/fixes/codeTrial.ts';
import { codeVerdict, fixReport, fixSentence } from '../src/core/fixes/fixReport.ts';
import { formatBytes } from '../src/core/measures/amount.ts';
import { formatDuration } from '../src/core/time/duration.ts';
import { runFixes } from '../src/fixes/runFixes.ts';

/**
 * Runs a function and alternatives to it: files that each export a function by default, the original first. The first, or the one that
 * --inputs names, exports `inputs`; `sizeOf` gives an input's size, so that growth is measured.
 */
export async function benchCode(args: readonly string[]): Promise<void> {
  const { values, positionals } = parseArgs({
    args: [...args],
    allowPositionals: true,
    options: {
      inputs: { type: 'string' },
      rounds: { type: 'string', default: '20' },
      subject: { type: 'string', default: '' },
      to: { type: 'string' },
      report: { type: 'string' },
    },
  });
  const rounds = Number(values.rounds);
  if (!Number.isInteger(rounds) || rounds < 1 || rounds > 500)
    throw new Error(`--rounds ${values.rounds} is no number from 1 to 500`);
  const trial = await runFixes({ files: positionals, inputs: values.inputs, subject: values.subject, rounds });
  const [original] = trial.ways;
  process.stdout.write(`${trial.inputs} inputs, ${trial.rounds} runs of each by turns, ${trial.runtime}\n\n`);
  for (const it of trial.ways) {
    const times =
      it.runs.length > 0
        ? `${formatDuration(middle(it.runs) * 1e6)} (${formatDuration(Math.min(...it.runs) * 1e6)} to ${formatDuration(Math.max(...it.runs) * 1e6)})`
        : '';
    const grows = it.slope ? `, grows as size^${it.slope.slope.toFixed(2)}` : '';
    process.stdout.write(
      `${it.file}: ${it.what}\n  ${times}, ${it.bytesAtLeast ? 'at least ' : ''}${formatBytes(it.bytes)} a run, ${formatDuration(it.gcMs * 1e6)} of garbage collection in all${grows}\n  ${codeVerdict(it, original)}\n`,
    );
  }
  process.stdout.write(`\n${fixSentence(trial)}\n`);
  if (values.report) writeFileSync(values.report, `${fixReport(trial)}\n`);
  if (values.to) {
    const answer = await fetch(new URL('/api/code/fixes', values.to), {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ trial }),
    });
    if (!answer.ok) throw new Error(`${values.to} did not take the result: ${await answer.text()}`);
  }
}
