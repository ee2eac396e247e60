import { spawnSync } from 'node:child_process';
import { getPriority } from 'node:os';
import { expect, it } from 'vitest';

const script = `import('./src/server/life/giveWay.ts').then(async ({ giveWay }) => { giveWay(5); console.log((await import('node:os')).getPriority()); })`;
const nicenessOf = (more: number) =>
  Number(spawnSync('nice', ['-n', String(more), process.execPath, '--import', 'tsx', '-e', script], { encoding: 'utf8' }).stdout);

it('lets others go first, and takes nothing back of what a process has given up already', () => {
  expect(nicenessOf(0)).toBe(Math.max(5, getPriority()));
  expect(nicenessOf(10)).toBe(Math.min(19, getPriority() + 10));
});
