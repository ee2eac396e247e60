import { describe, expect, it } from 'vitest';
import type { Kept, PreparedRequest } from '../store/keepTogether.ts';
import { writeQueue } from './writeQueue.ts';

const request = (hash: string, accepted = 1): PreparedRequest<string> => ({
  body: { hash, accepted, rejected: 0, message: '' },
  prepared: hash,
});
const kept = ({ body: { hash: _, ...answer } }: PreparedRequest<string>): Kept => ({ ...answer, repeated: false });
const away = () => Object.assign(new Error('gone'), { code: 'ECONNREFUSED' });

/** A writer that notes what it was given together, and may fail. */
function writer(failing: (hashes: string[]) => Error | undefined = () => undefined) {
  const groups: string[][] = [];
  const queue = writeQueue<string>(async (requests) => {
    const hashes = requests.map((it) => it.prepared);
    groups.push(hashes);
    await new Promise((resolve) => setImmediate(resolve));
    const error = failing(hashes);
    if (error) throw error;
    return requests.map(kept);
  });
  return { groups, queue };
}

describe('requests that wait', () => {
  it('are kept together in the next transaction, each with its own answer', async () => {
    const { groups, queue } = writer();
    const answers = await Promise.all(['a', 'b', 'c'].map((hash, at) => queue(request(hash, at + 1))));
    expect(groups).toEqual([['a'], ['b', 'c']]);
    expect(answers.map(({ accepted, repeated }) => [accepted, repeated])).toEqual([
      [1, false],
      [2, false],
      [3, false],
    ]);
  });

  it('are not gathered beyond what one transaction should take', async () => {
    const { groups, queue } = writer();
    await Promise.all(['a', 'b', 'c', 'd'].map((hash) => queue(request(hash, 1500))));
    expect(groups).toEqual([['a'], ['b'], ['c'], ['d']]);
  });

  it('with the same body are written once, and the others told that it came again', async () => {
    const { groups, queue } = writer();
    const answers = await Promise.all(['first', 'x', 'x', 'x'].map((hash) => queue(request(hash))));
    expect(groups).toEqual([['first'], ['x']]);
    expect(answers.map(({ repeated }) => repeated)).toEqual([false, false, true, true]);
  });
});

describe('a request that cannot be kept', () => {
  it('does not keep out those that came with it', async () => {
    const { groups, queue } = writer((hashes) => (hashes.includes('bad') ? new Error('no') : undefined));
    const results = await Promise.allSettled(['first', 'good', 'bad', 'fine'].map((hash) => queue(request(hash))));
    expect(results.map(({ status }) => status)).toEqual(['fulfilled', 'fulfilled', 'rejected', 'fulfilled']);
    expect(groups).toEqual([['first'], ['good', 'bad', 'fine'], ['good'], ['bad'], ['fine']]);
  });

  it('because the store is away fails with all that came with it, without being tried one by one', async () => {
    const { groups, queue } = writer((hashes) => (hashes.length > 1 ? away() : undefined));
    const results = await Promise.allSettled(['first', 'a', 'b'].map((hash) => queue(request(hash))));
    expect(results.map(({ status }) => status)).toEqual(['fulfilled', 'rejected', 'rejected']);
    expect(groups).toEqual([['first'], ['a', 'b']]);
    // The queue goes on with what comes after.
    expect((await queue(request('later'))).accepted).toBe(1);
  });
});
