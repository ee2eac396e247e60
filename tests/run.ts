import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build, isBuilt, runProgram } from '../src/server/build.ts';

/*
 * Every check and test of the project, each counted: `./dusk test` for all, `./dusk test unit|integration|browser|checks` for some.
 */

const KINDS = ['checks', 'unit', 'integration', 'browser'];

const CHECKS: readonly (readonly [title: string, ...command: string[]])[] = [
  ['lint and format', 'node_modules/@biomejs/biome/bin/biome', 'check', '--error-on-warnings', '.'],
  ['types', 'node_modules/typescript/bin/tsc', '--noEmit'],
  [
    'direction of imports',
    'node_modules/dependency-cruiser/bin/dependency-cruise.mjs',
    'src',
    'demo',
    'collectors',
    '--config',
    '.dependency-cruiser.cjs',
  ],
  ['unused code', 'node_modules/knip/bin/knip.js'],
];

const wanted = process.argv.slice(2);
const unknown = wanted.filter((kind) => !KINDS.includes(kind));
if (unknown.length > 0) {
  process.stderr.write(`dusk test: ${unknown.join(', ')} is none of ${KINDS.join(', ')}\n`);
  process.exit(2);
}
const kinds = wanted.length > 0 ? wanted : KINDS;

let passed = 0;
let failed = 0;

const projects = kinds.filter((kind) => kind !== 'checks');
const needsBuild = projects.some((project) => project !== 'unit') && !isBuilt();
// The types of Astro's own modules are generated.
if (kinds.includes('checks')) await runProgram(['node_modules/astro/astro.js', 'sync', '--silent']);
if (needsBuild) process.stdout.write('building the application ...\n');
// The checks and the build keep a processor busy each.
await Promise.all([needsBuild && build(), kinds.includes('checks') && check()]);
if (projects.length > 0) {
  const folder = mkdtempSync(join(tmpdir(), 'dusk-results-'));
  const file = join(folder, 'results.json');
  spawnSync(
    process.execPath,
    [
      'node_modules/vitest/vitest.mjs',
      'run',
      ...projects.flatMap((project) => ['--project', project]),
      '--reporter=default',
      '--reporter=json',
      `--outputFile=${file}`,
    ],
    { stdio: 'inherit' },
  );
  count(file);
  rmSync(folder, { recursive: true });
}

process.stdout.write(`${passed} passed, ${failed} failed\n`);
process.exit(failed === 0 && passed > 0 ? 0 : 1);

async function check(): Promise<void> {
  for (const [title, ...command] of CHECKS) {
    const { status, output } = await runProgram(command);
    process.stdout.write(`${status === 0 ? 'ok  ' : 'FAIL'} ${title}\n`);
    if (status === 0) passed++;
    else {
      failed++;
      process.stdout.write(`${output}\n`);
    }
  }
}

function count(file: string): void {
  interface Results {
    readonly numPassedTests: number;
    readonly numFailedTests: number;
    readonly testResults: readonly {
      readonly status: string;
      readonly assertionResults: readonly { readonly status: string }[];
    }[];
  }
  try {
    const results = JSON.parse(readFileSync(file, 'utf8')) as Results;
    passed += results.numPassedTests;
    failed += results.numFailedTests;
    // A file that could not even be set up has no failed test of its own, and tests that never ran.
    failed += results.testResults.filter(
      (it) => it.status === 'failed' && !it.assertionResults.some(({ status }) => status === 'failed'),
    ).length;
  } catch {
    process.stdout.write('the tests ended without a result\n');
    failed++;
  }
}
