import { expect, it } from 'vitest';
import { inTurn } from './inTurn.ts';

it('lets one page after the other, and what is due between them', async () => {
  const seen: string[] = [];
  const page = async (name: string) => {
    await inTurn('');
    seen.push(name);
    // Whatever waits already comes before the next page.
    setImmediate(() => seen.push(`due after ${name}`));
  };
  await Promise.all([page('a'), page('b'), page('c')]);
  expect(seen.slice(0, 5)).toEqual(['a', 'due after a', 'b', 'due after b', 'c']);
});

it('lets those who open one page in between those of one who opens many', async () => {
  const seen: string[] = [];
  const page = (name: string) => inTurn(name[0]).then(() => void seen.push(name));
  await Promise.all([...['a1', 'a2', 'a3', 'a4', 'b1', 'c1'].map(page)]);
  expect(seen).toEqual(['a1', 'b1', 'c1', 'a2', 'a3', 'a4']);
});
