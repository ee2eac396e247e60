/*
 * The entry of the probe: node --import <this file> program.js
 * It runs what was built of the TypeScript beside it; where nothing was built yet, or something changed since, that is done now.
 */
import { existsSync, readdirSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { isMainThread } from 'node:worker_threads';

const here = dirname(fileURLToPath(import.meta.url));
const built = join(here, 'dist', 'probe.mjs');

function isBuilt() {
  if (!existsSync(built) || !existsSync(join(here, 'dist', 'agent.mjs'))) return false;
  const at = statSync(built).mtimeMs;
  return readdirSync(here).every((name) => !name.endsWith('.ts') || statSync(join(here, name)).mtimeMs <= at);
}

// Threads of the program, and those of the probe itself, are not looked at.
if (isMainThread && process.env.DUSK_PROBE !== 'off') {
  try {
    if (!isBuilt()) await (await import('./build.mjs')).build();
    await import('./dist/probe.mjs');
  } catch (error) {
    // The program goes on without it, whatever is wrong.
    process.stderr.write(`dusk probe: not started: ${error?.message ?? error}\n`);
  }
}
