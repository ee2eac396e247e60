import { spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { once } from 'node:events';
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const STAMP = 'dist/.built-from';
const SOURCES = ['src', 'collectors/browser', 'package-lock.json', 'astro.config.ts', 'tsconfig.json'];

/** Whether `dist/` was built from the sources as they are. */
export function isBuilt(): boolean {
  return existsSync(STAMP) && existsSync('dist/server/entry.mjs') && readFileSync(STAMP, 'utf8') === sourcesHash();
}

/** Builds the application into `dist/`. @throws Error with the end of the builder's output */
export async function build(): Promise<void> {
  // Whatever the environment of who builds: the pages are for use.
  const { status, output } = await runProgram(['node_modules/astro/astro.js', 'build'], { NODE_ENV: 'production' });
  if (status !== 0) throw new Error(`the build failed:\n${output.split('\n').slice(-20).join('\n')}`);
  writeFileSync(STAMP, sourcesHash());
}

/** Runs a program of a package to its end. @returns its exit status, and all that it said */
export async function runProgram(
  command: readonly string[],
  environment: Readonly<Record<string, string>> = {},
): Promise<{ status: number | null; output: string }> {
  const child = spawn(process.execPath, command, {
    env: { ...process.env, ...environment, ASTRO_TELEMETRY_DISABLED: '1' },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let output = '';
  for (const stream of [child.stdout, child.stderr])
    stream.setEncoding('utf8').on('data', (text: string) => {
      output += text;
    });
  const [status] = (await once(child, 'close')) as [number | null];
  return { status, output: output.trimEnd() };
}

function sourcesHash(): string {
  const hash = createHash('md5');
  const open = [...SOURCES];
  for (let path = open.pop(); path; path = open.pop()) {
    if (statSync(path).isDirectory()) {
      for (const name of readdirSync(path).sort()) open.push(join(path, name));
    } else if (!path.endsWith('.test.ts')) hash.update(path).update(readFileSync(path));
  }
  return hash.digest('hex');
}
