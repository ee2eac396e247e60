import { describe, expect, it } from 'vitest';
import type { Body, Committed, PreparedRequest } from '../store/ingest/commitBatch.ts';
import { writeQueue } from './writeQueue.ts';

const body = (hash: string, accepted = 1): Body => ({ hash, accepted, rejected: 0, message: '' });
const kept = ({ body: { hash: _, ...answer } }: PreparedRequest<string>): Committed => ({ ...answer, repeated: false });
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
  const send = (hash: string, accepted = 1) => queue(body(hash, accepted), async () => hash);
  /** Sends some while the first of them is being written. */
  const sendInTurn = async (first: string, ...others: string[]) => {
    const begun = send(first);
    while (groups.length === 0) await Promise.resolve();
    return Promise.allSettled([begun, ...others.map((hash) => send(hash))]);
  };
  return { groups, queue, send, sendInTurn };
}

const answersOf = (results: PromiseSettledResult<Committed>[]) =>
  results.map((it) => (it.status === 'fulfilled' ? it.value : it.reason));
const statusesOf = (results: PromiseSettledResult<Committed>[]) => results.map(({ status }) => status);

describe('requests that wait', () => {
  it('are kept together in the next transaction, each with its own answer', async () => {
    const { groups, sendInTurn } = writer();
    const answers = answersOf(await sendInTurn('a', 'b', 'c'));
    expect(groups).toEqual([['a'], ['b', 'c']]);
    expect(answers.map(({ accepted, repeated }) => [accepted, repeated])).toEqual([
      [1, false],
      [1, false],
      [1, false],
    ]);
  });

  it('wait for those that are being made ready beside them', async () => {
    const { groups, send } = writer();
    const answers = await Promise.all(['a', 'b', 'c'].map((hash, at) => send(hash, at + 1)));
    expect(groups).toEqual([['a', 'b', 'c']]);
    expect(answers.map(({ accepted }) => accepted)).toEqual([1, 2, 3]);
  });

  it('do not wait long for one that takes its time', async () => {
    const { groups, queue, send } = writer();
    let isReady = (_: string) => {};
    const slow = queue(body('slow'), () => new Promise<string>((resolve) => (isReady = resolve)));
    await send('quick');
    expect(groups).toEqual([['quick']]);
    isReady('slow');
    await slow;
    expect(groups).toEqual([['quick'], ['slow']]);
  });

  it('are not gathered beyond what one transaction should take', async () => {
    const { groups, send } = writer();
    await Promise.all(['a', 'b', 'c', 'd'].map((hash) => send(hash, 1500)));
    expect(groups).toEqual([['a'], ['b'], ['c'], ['d']]);
  });

  it('with the same body are written once, and the others told that it came again', async () => {
    const { groups, sendInTurn } = writer();
    const answers = answersOf(await sendInTurn('first', 'x', 'x', 'x'));
    expect(groups).toEqual([['first'], ['x']]);
    expect(answers.map(({ repeated }) => repeated)).toEqual([false, false, true, true]);
  });
});

describe('a request that cannot be kept', () => {
  it('does not keep out those that came with it', async () => {
    const { groups, sendInTurn } = writer((hashes) => (hashes.includes('bad') ? new Error('no') : undefined));
    expect(statusesOf(await sendInTurn('first', 'good', 'bad', 'fine'))).toEqual([
      'fulfilled',
      'fulfilled',
      'rejected',
      'fulfilled',
    ]);
    expect(groups).toEqual([['first'], ['good', 'bad', 'fine'], ['good'], ['bad'], ['fine']]);
  });

  it('because it cannot be made ready does not hold up the others', async () => {
    const { groups, queue, send } = writer();
    const results = await Promise.allSettled([send('good'), queue(body('bad'), () => Promise.reject(new Error('no')))]);
    expect(statusesOf(results)).toEqual(['fulfilled', 'rejected']);
    expect(groups).toEqual([['good']]);
  });

  it('because the store is away fails with all that came with it, without being tried one by one', async () => {
    const { groups, send, sendInTurn } = writer((hashes) => (hashes.length > 1 ? away() : undefined));
    expect(statusesOf(await sendInTurn('first', 'a', 'b'))).toEqual(['fulfilled', 'rejected', 'rejected']);
    expect(groups).toEqual([['first'], ['a', 'b']]);
    // The queue goes on with what comes after.
    expect((await send('later')).accepted).toBe(1);
  });
});
