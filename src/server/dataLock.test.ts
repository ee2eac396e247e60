import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { giveBackData, holderOf, takeData } from './dataLock.ts';

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'dusk-lock-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));
const file = () => join(folder, 'running.json');
const URL_OF_IT = 'http://127.0.0.1:4680';

describe('a data folder', () => {
  it('belongs to one process at a time; the next one learns which', () => {
    expect(holderOf(folder)).toBeUndefined();
    expect(takeData(folder, URL_OF_IT)).toBeUndefined();
    expect(holderOf(folder)).toMatchObject({ pid: process.pid, url: URL_OF_IT });
    expect(takeData(folder, 'http://127.0.0.1:4681')).toMatchObject({ pid: process.pid, url: URL_OF_IT });
    giveBackData(folder);
    expect(holderOf(folder)).toBeUndefined();
    expect(takeData(folder, 'http://127.0.0.1:4681')).toBeUndefined();
  });

  it('is free when the process that had it has ended, also by force', async () => {
    const child = spawn(process.execPath, ['-e', 'setInterval(() => {}, 1000)']);
    await once(child, 'spawn');
    const stat = readFileSync(`/proc/${child.pid}/stat`, 'utf8');
    const began = stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19];
    writeFileSync(file(), JSON.stringify({ pid: child.pid, began, url: URL_OF_IT }));
    expect(takeData(folder, 'http://127.0.0.1:4681')).toMatchObject({ pid: child.pid });
    child.kill('SIGKILL');
    await once(child, 'exit');
    expect(holderOf(folder)).toBeUndefined();
    expect(takeData(folder, 'http://127.0.0.1:4681')).toBeUndefined();
    expect(holderOf(folder)).toMatchObject({ pid: process.pid });
  });

  it('is free when another process has the number of the one that had it', () => {
    writeFileSync(file(), JSON.stringify({ pid: process.pid, began: '1', url: URL_OF_IT }));
    expect(holderOf(folder)).toBeUndefined();
    expect(takeData(folder, URL_OF_IT)).toBeUndefined();
  });

  it('is free when what stands there cannot be read', () => {
    for (const text of ['', '{', 'null', '[]', '{"pid":"x"}']) {
      writeFileSync(file(), text);
      expect(takeData(folder, URL_OF_IT)).toBeUndefined();
      giveBackData(folder);
    }
  });
});
