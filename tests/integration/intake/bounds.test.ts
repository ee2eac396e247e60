import { afterAll, beforeAll, expect, it } from 'vitest';
import type { Span, TraceId } from '../../../src/core/trace/span.ts';
import { MOST_READ } from '../../../src/store/requests/matchingRequests.ts';
import { type Installation, install, until } from '../../support/installation.ts';
import { makeSpan } from '../../support/made/traceMaker.ts';
import { sendSpans } from '../../support/sending.ts';

/*
 * A condition on values that are too long for the columns, of more requests than may be read: what is returned fits, and the answer says how
 * many it leaves out, for the condition and its opposite alike.
 */

const BEYOND = 3_000;
const COUNT = MOST_READ + BEYOND;
const START = BigInt(Math.floor(Date.now() / 3_600_000) * 3_600_000 - 2 * 3_600_000) * 1_000_000n;
const LONG = 'a text that is longer than columns hold, '.repeat(30);

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
  const requests = Array.from({ length: COUNT }, (_, at): Span => {
    const span = makeSpan({ id: 0, from: 0, to: 5, name: at % 3 === 0 ? 'third' : 'other' });
    const start = START + BigInt(at) * 100_000_000n;
    const note = `${LONG}${at % 3 === 0 ? 'blue' : 'red'}`;
    return {
      ...span,
      traceId: (at + 1).toString(16).padStart(32, '0') as TraceId,
      start,
      end: start + 5_000_000n,
      attributes: { note, size: at % 3 === 0 ? 'long' : 'short' },
    };
  });
  for (let from = 0; from < COUNT; from += 1000) await sendSpans(dusk.url, requests.slice(from, from + 1000), { gzip: true });
});
afterAll(() => dusk?.stop());

interface Answer {
  readonly total: number;
  readonly unread: number;
  readonly building: number;
  readonly names: ReadonlySet<string>;
}

async function ask(where: string): Promise<Answer> {
  const answer = await fetch(`${dusk.url}/api/traces?limit=1000&where=${encodeURIComponent(where)}`);
  const { unread = 0, building = 0 } = JSON.parse(answer.headers.get('lantern-left-out') ?? '{}');
  const page = await answer.json();
  const names = new Set(Array.from(page.traces as { operation: string }[], ({ operation }) => operation));
  return { total: page.total, unread, building, names };
}

/** The answer once all columns are built. */
const total = (where: string) =>
  until(
    () => ask(where),
    ({ building }) => building === 0,
    60,
  );

const THIRD = Math.ceil(COUNT / 3);

it.each([
  ['note contains BLUE', 'third', THIRD],
  ['note lacks BLUE', 'other', COUNT - THIRD],
] as const)(
  '%s: lists what fits of those that were read, says how many it leaves out, and reads on when asked again',
  async (where, name, all) => {
    // Until the columns are built: what they tell leaves nothing out.
    await total('span where operation is third');
    const first = await ask(where);
    expect([first.names, first.unread]).toEqual([new Set([name]), BEYOND]);
    expect(first.total).toBeLessThan(all);
    expect(first.total).toBeGreaterThanOrEqual(all - BEYOND);
    // What was found out stays: in the end nothing is left out.
    const whole = await until(
      () => ask(where),
      ({ unread }) => unread === 0,
      60,
    );
    expect([whole.names, whole.total]).toEqual([new Set([name]), all]);
  },
);

it('leaves nothing out where the columns tell, of however many', async () => {
  expect(await total('size is long')).toMatchObject({ total: THIRD, unread: 0 });
  expect(await total('size is not long')).toMatchObject({ total: COUNT - THIRD, unread: 0 });
  // That there is a value is known, however long it is.
  expect(await total('note is missing')).toMatchObject({ total: 0, unread: 0 });
  expect(await total('span where operation is third and duration over 1ms')).toMatchObject({
    total: THIRD,
    unread: 0,
  });
});
