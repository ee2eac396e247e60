import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { postgresBinaries } from './binaries.ts';

const installed = mkdtempSync(join(tmpdir(), 'dusk-binaries-'));
for (const version of ['9', '15', '17']) {
  mkdirSync(join(installed, version, 'bin'), { recursive: true });
  writeFileSync(join(installed, version, 'bin', 'postgres'), '');
}
// The client alone is no server.
mkdirSync(join(installed, '18', 'bin'), { recursive: true });
afterAll(() => rmSync(installed, { recursive: true }));

describe('the programs of PostgreSQL', () => {
  it('are the newest for a new cluster, and those that made it for one that is there', () => {
    expect(postgresBinaries(undefined, installed)).toBe(join(installed, '17', 'bin'));
    expect(postgresBinaries('15', installed)).toBe(join(installed, '15', 'bin'));
  });

  it('are asked for in words when what made the cluster is gone', () => {
    expect(() => postgresBinaries('12', installed)).toThrow(/made by PostgreSQL 12.*installed is .*17.*postgresql-12/);
  });
});
