import { appendFileSync, closeSync, mkdtempSync, openSync, readFileSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { boundLog } from './boundLog.ts';

it('moves a long log on, and who writes it goes on at its new end', () => {
  const file = join(mkdtempSync(join(tmpdir(), 'dusk-log-')), 'application.log');
  expect(boundLog(file, 10)).toBe(false);
  const open = openSync(file, 'a');
  writeSync(open, 'a line\n');
  expect(boundLog(file, 10)).toBe(false);
  writeSync(open, 'another line\n');
  expect(boundLog(file, 10)).toBe(true);
  writeSync(open, 'after\n');
  closeSync(open);
  expect(readFileSync(`${file}.1`, 'utf8')).toBe('a line\nanother line\n');
  expect(readFileSync(file, 'utf8')).toBe('after\n');
  // The part before the last is let go.
  appendFileSync(file, 'and more than ten bytes\n');
  expect(boundLog(file, 10)).toBe(true);
  expect(readFileSync(`${file}.1`, 'utf8')).toBe('after\nand more than ten bytes\n');
});
