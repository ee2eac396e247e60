import { spawnSync } from 'node:child_process';
import { getPriority } from 'node:os';
import { expect, it } from 'vitest';

const script = `import('./src/server/life/giveWay.ts').then(async ({ giveWay }) => { giveWay(5); console.log((await import('node:os')).getPriority()); })`;
const nicenessOf = (more: number) =>
  Number(spawnSync('nice', ['-n', String(more), process.execPath, '--import', 'tsx', '-e', script], { encoding: 'utf8' }).stdout);

it('lowers the priority of a process, and never raises one that was lower', () => {
  expect(nicenessOf(0)).toBe(Math.max(5, getPriority()));
  expect(nicenessOf(10)).toBe(Math.min(19, getPriority() + 10));
});
