import { readFileSync } from 'node:fs';
import { hostname } from 'node:os';
import { setTimeout as sleep } from 'node:timers/promises';
import { parseArgs } from 'node:util';
import { Outbox } from '../sending/outbox.ts';
import { checkAddress } from './address.ts';
import { type BrowserPaths, checkJourney } from './journey.ts';
import { type Check, readChecks } from './read.ts';
import type { CheckResult } from './result.ts';

/* `./dusk collect check`: runs scripted checks of journeys and addresses on their schedule, and sends what came of them. */

const SCOPE = { name: 'dusk-lantern-collector', version: '1' };
const say = (words: string) => process.stderr.write(`collect check: ${words}\n`);

interface Options {
  readonly to: string;
  readonly place: string;
  readonly environment: string;
  readonly once: boolean;
  readonly paths: BrowserPaths;
}

try {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: {
      to: { type: 'string', default: 'http://127.0.0.1:4680' },
      place: { type: 'string', default: hostname() },
      environment: { type: 'string', default: '' },
      once: { type: 'boolean', default: false },
      browser: { type: 'string', default: '/usr/bin/chromium' },
      driver: { type: 'string', default: '/usr/bin/chromedriver' },
    },
  });
  if (positionals.length === 0) throw new Error('name files with checks');
  const checks = positionals.flatMap((file) => readChecks(readFileSync(file, 'utf8'), file));
  if (checks.length === 0) throw new Error('the files hold no check');
  const { browser, driver, ...rest } = values;
  process.exitCode = await run(checks, { ...rest, paths: { browser, driver } });
} catch (error) {
  say((error as Error).message);
  process.exitCode = 2;
}

/** @returns how the process ends: 1 when a check failed that was run once */
async function run(checks: readonly Check[], options: Options): Promise<number> {
  const outbox = new Outbox(options.to, say);
  let isOn = true;
  const stopped = new Promise<void>((resolve) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const)
      process.once(signal, () => {
        isOn = false;
        resolve();
      });
  });
  const due = checks.map(() => Date.now());
  let failed = 0;
  say(`${checks.length} ${checks.length === 1 ? 'check' : 'checks'}, from ${options.place}`);
  // One after the other: two browsers at once would slow each other down.
  while (isOn) {
    const next = due.indexOf(Math.min(...due));
    const waitMs = due[next] - Date.now();
    if (waitMs > 0) {
      await Promise.race([sleep(waitMs), stopped]);
      continue;
    }
    const check = checks[next];
    const startMs = Date.now();
    const result = 'address' in check ? await checkAddress(check) : await checkJourney(check, options.paths);
    send(outbox, check, result, startMs, options);
    say(`${check.check}: ${result.ok ? 'ok' : `failed, ${result.error}`}, ${Math.round(result.durationMs)} ms`);
    if (!result.ok) failed++;
    due[next] = options.once ? Number.POSITIVE_INFINITY : Math.max(Date.now() + 1_000, due[next] + check.every);
    if (due.every((at) => at === Number.POSITIVE_INFINITY)) break;
  }
  await outbox.end();
  return options.once && failed > 0 ? 1 : 0;
}

function send(outbox: Outbox, check: Check, result: CheckResult, startMs: number, { place, environment }: Options): void {
  outbox.log({
    resource: { 'service.name': 'collector of checks', ...(environment && { 'deployment.environment.name': environment }) },
    scope: SCOPE,
    time: BigInt(startMs) * 1_000_000n,
    severity: 0,
    body: null,
    event: 'lantern.check',
    attributes: {
      'lantern.check.name': check.check,
      'lantern.check.kind': 'address' in check ? 'address' : 'journey',
      'lantern.check.ok': result.ok,
      'lantern.check.duration_ms': result.durationMs,
      'lantern.check.place': place,
      'lantern.check.error': result.error,
      'lantern.check.steps': result.steps.map((it) => ({ ...it })),
      'lantern.check.picture': result.picture,
      'url.path': result.page,
      ...(result.traceId && { 'lantern.trace_id': result.traceId }),
    },
  });
}
