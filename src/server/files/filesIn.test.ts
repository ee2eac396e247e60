import { mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { filesIn } from './filesIn.ts';

describe('the files of a path', () => {
  let folder: string;
  beforeAll(() => {
    folder = mkdtempSync(join(tmpdir(), 'dusk-files-'));
    mkdirSync(join(folder, 'b', 'deep'), { recursive: true });
    for (const name of ['b/deep/late.json', 'b/early.json', 'a.json']) writeFileSync(join(folder, name), '{}');
  });
  afterAll(() => rmSync(folder, { recursive: true }));

  it('are those of a folder and of all folders in it, by name', async () => {
    expect(await filesIn(folder)).toEqual(['a.json', 'b/deep/late.json', 'b/early.json'].map((name) => join(folder, name)));
  });

  it('are the file itself, and not what a link in a folder leads to', async () => {
    expect(await filesIn(join(folder, 'a.json'))).toEqual([join(folder, 'a.json')]);
    symlinkSync('/etc', join(folder, 'elsewhere'));
    expect(await filesIn(folder)).toHaveLength(3);
  });

  it('of nothing are an error that names it', async () => {
    await expect(filesIn(join(folder, 'none'))).rejects.toThrow('none');
  });
});
