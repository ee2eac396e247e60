import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const STAMP = 'dist/.built-from';
const SOURCES = ['src', 'collectors/browser', 'package-lock.json', 'astro.config.ts', 'tsconfig.json'];

/** Whether `dist/` was built from the sources as they are. */
export function isBuilt(): boolean {
  return existsSync(STAMP) && existsSync('dist/server/entry.mjs') && readFileSync(STAMP, 'utf8') === sourcesHash();
}

/** Builds the application into `dist/`. @throws Error with the end of the builder's output */
export function build(): void {
  const done = spawnSync(process.execPath, ['node_modules/astro/astro.js', 'build'], {
    // Whatever the environment of who builds: the pages are for use.
    env: { ...process.env, NODE_ENV: 'production', ASTRO_TELEMETRY_DISABLED: '1' },
    encoding: 'utf8',
  });
  if (done.status !== 0) {
    const tail = `${done.stdout}${done.stderr}`.trimEnd().split('\n').slice(-20).join('\n');
    throw new Error(`the build failed:\n${tail}`);
  }
  writeFileSync(STAMP, sourcesHash());
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
