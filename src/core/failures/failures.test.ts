import { describe, expect, it } from 'vitest';
import { messageShape } from './messageShape.ts';
import { firstOwnFrame, readStack } from './stack.ts';

describe('the shape of a message', () => {
  it.each([
    ['booking OR53F6D4 is not open', 'booking … is not open'],
    ['waited 5000 ms for a connection (pool 4)', 'waited … ms for a connection (pool …)'],
    ["no sailing 'tern-saltern 14:20'", 'no sailing …'],
    ['at 10.2.3.4:5432: refused', 'at …: refused'],
    ['order 0b7c9f1e-2f5a-4c7e-9f7d-1c2b3a4d5e6f is late', 'order … is late'],
    ['secret does not match\nsecond line', 'secret does not match'],
    ['', ''],
  ])('%j → %j', (message, shape) => {
    expect(messageShape(message)).toBe(shape);
  });
});

describe('a stack', () => {
  const NODE = `PoolExhaustedError: no connection within 5 s
    at priceOf (/srv/fares/src/rules/price.js:41:11)
    at Layer.handle (/srv/fares/node_modules/router/layer.js:95:5)
    at process.processTicksAndRejections (node:internal/process/task_queues:95:5)`;

  it('tells frames of one’s own from those of libraries and runtimes', () => {
    expect(readStack(NODE).map((it) => it.own)).toEqual([null, true, false, false]);
    expect(firstOwnFrame(NODE)).toBe('at priceOf (/srv/fares/src/rules/price.js:41:11)');
    expect(
      readStack('  at reach.holds.Keeper.hold(Keeper.java:88)\n  at java.base/java.lang.Thread.run(Thread.java:840)').map(
        (it) => it.own,
      ),
    ).toEqual([true, false]);
    expect(
      readStack('  File "/app/crew/roster.py", line 3, in build\n  File "/usr/lib/python3.11/asyncio/base.py", line 9').map(
        (it) => it.own,
      ),
    ).toEqual([true, false]);
    expect(firstOwnFrame('nothing of the kind')).toBeUndefined();
  });
});
