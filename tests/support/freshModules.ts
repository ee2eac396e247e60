import { vi } from 'vitest';

/*
 * Run before each file. Files of one process share the packages they load, but nothing of ours: what a module of ours keeps, and what
 * stands in the environment, belongs to the installation of the file before.
 */

const AT_START = Symbol.for('dusk-lantern.environment');
const shared = globalThis as { [AT_START]?: NodeJS.ProcessEnv };
shared[AT_START] ??= { ...process.env };
for (const name of Object.keys(process.env))
  if (/^(DUSK_|DATABASE_URL$)/.test(name)) {
    const value = shared[AT_START][name];
    if (value === undefined) delete process.env[name];
    else process.env[name] = value;
  }
vi.resetModules();
