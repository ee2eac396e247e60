import { afterAll, beforeAll, expect, it } from 'vitest';
import { type Installation, install } from '../support/installation.ts';
import { makeSpans } from '../support/made/traceMaker.ts';
import { getJson, sendSpans } from '../support/sending.ts';

/* Notes on the axis of time, from end to end. */

const MINUTE = 60_000;
const NOW = Math.floor(Date.now() / MINUTE) * MINUTE;
const iso = (ms: number) => new Date(ms).toISOString();

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
  // Data begins at any nanosecond, as in life.
  const start = BigInt(NOW - 10 * MINUTE) * 1_000_000n + 568_400n;
  await sendSpans(
    dusk.url,
    makeSpans({ id: 0, from: 0, to: 9 }).map((span) => ({ ...span, start, end: start + 5_000_000n })),
  );
});
afterAll(() => dusk?.stop());

const send = async (path: string, body: object) => {
  const answer = await fetch(`${dusk.url}${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', origin: dusk.url },
    body: JSON.stringify(body),
  });
  return { status: answer.status, ...(await answer.json()) };
};
const write = (more: object = {}) =>
  send('/api/notes', { at: iso(NOW - 5 * MINUTE), text: 'pool set back to 10', path: '/now?last=1h', by: 'Ina', ...more });
const kept = async () =>
  (await getJson(dusk.url, `/api/notes?from=${iso(NOW - 60 * MINUTE)}&to=${iso(NOW + MINUTE)}`)).notes as {
    id: number;
    text: string;
  }[];

it('are kept with who wrote them and where, stand on the ribbon in order, and can be removed', async () => {
  const late = await write({ at: iso(NOW - 5 * MINUTE).replace('.000Z', '.0004Z') });
  const early = await write({ at: iso(NOW - 9 * MINUTE), text: '  two\n lines ', by: '' });
  expect([late.status, early.status]).toEqual([200, 200]);
  expect(late).toMatchObject({ at: NOW - 5 * MINUTE, text: 'pool set back to 10', by: 'Ina', path: '/now?last=1h' });
  expect((await kept()).map(({ text }) => text)).toEqual(['two lines', 'pool set back to 10']);
  const ribbon = await getJson(dusk.url, `/api/ribbon?from=${iso(NOW - 60 * MINUTE)}&to=${iso(NOW)}&before=just`);
  expect(ribbon.notes.map(({ id }: { id: number }) => id)).toEqual([early.id, late.id]);
  expect(await send('/api/notes/removal', { id: early.id })).toMatchObject({ status: 200, id: early.id });
  expect(await send('/api/notes/removal', { id: early.id })).toMatchObject({
    status: 404,
    error: expect.stringContaining('no note'),
  });
  expect((await kept()).map(({ id }) => id)).toEqual([late.id]);
});

it.each([
  ['nothing said', { text: '  ' }],
  ['too much said', { text: 'x'.repeat(301) }],
  ['a page elsewhere', { path: '//other.example/now' }],
  ['no time', { at: 'soon' }],
  ['long ago', { at: iso(NOW - 500 * 1440 * MINUTE) }],
  ['far ahead', { at: iso(NOW + 3 * 1440 * MINUTE) }],
  ['what is no character', { text: 'a\u0000b' }],
  ['half of a character', { text: 'a\ud800' }],
])('%s is refused with words, and nothing is kept', async (_, more) => {
  const before = await kept();
  const { status, error } = await write(more);
  expect([status, typeof error]).toEqual([400, 'string']);
  expect(await kept()).toEqual(before);
});

it.each([
  ['/api/code/fixes?subject=%00', 'subject'],
  ['/api/planbench/statements/%00', 'statementId'],
])('%s is refused by the name of what is wrong', async (path, name) => {
  const answer = await fetch(dusk.url + path);
  expect([answer.status, (await answer.json()).error]).toEqual([400, expect.stringMatching(new RegExp(`^${name}: .*U\\+0000`))]);
});
