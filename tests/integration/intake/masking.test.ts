import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Installation, install } from '../../support/installation.ts';
import { logs } from '../../support/made/otlpSignals.ts';
import { makeSpans } from '../../support/made/traceMaker.ts';
import { getJson, JSON_TYPE, sendJson, sendSpans } from '../../support/sending.ts';

const AT = Date.now() - 60_000;

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
});
afterAll(() => dusk.stop());

const put = (body: unknown, type = JSON_TYPE) =>
  fetch(`${dusk.url}/api/intake/masking`, { method: 'PUT', headers: { 'content-type': type }, body: JSON.stringify(body) });
const preview = async (rule: unknown) => {
  const answer = await fetch(`${dusk.url}/api/intake/masking/preview`, {
    method: 'POST',
    headers: { 'content-type': JSON_TYPE },
    body: JSON.stringify({ rule }),
  });
  return { status: answer.status, ...(await answer.json()) };
};
const everything = async () => {
  const parts = await Promise.all(
    ['traces', 'logs'].map(async (signal) => (await fetch(`${dusk.url}/api/export/${signal}`)).text()),
  );
  return parts.join('\n');
};
let next = 1;
const span = (attributes: Record<string, string>) => {
  const [made] = makeSpans({ id: 0, from: 0, to: 5 });
  return { ...made, traceId: (next++).toString(16).padStart(32, '0') as typeof made.traceId, attributes };
};

describe('what is personal', () => {
  it('is taken out of spans and logs before they are stored, and counted', async () => {
    const sent = span({
      'http.request.header.authorization': 'Bearer abcdefghijkl',
      'url.full': 'https://osier-reach.example/pass?token=f00dcafe&lane=2',
      note: 'booked by ines@osier-reach.example',
      lane: '12',
    });
    await sendSpans(dusk.url, [sent]);
    await sendJson(
      dusk.url,
      '/v1/logs',
      logs('accounts', [{ atMs: AT, text: 'mail to lars.aas@osier-reach.example with card 4111 1111 1111 1111' }]),
    );
    const { spans } = await getJson(dusk.url, `/api/traces/${sent.traceId}`);
    expect(spans[0].attributes).toEqual({
      'http.request.header.authorization': '[masked: secret]',
      'url.full': 'https://osier-reach.example/pass?token=[masked: token]&lane=2',
      note: 'booked by [masked: mail address]',
      lane: '12',
    });
    const kept = await everything();
    expect(kept).toContain('mail to [masked: mail address] with card [masked: card number]');
    for (const secret of ['ines', 'lars.aas', '4111', 'f00dcafe', 'abcdefghijkl']) expect(kept).not.toContain(secret);
    const { signals } = await getJson(dusk.url, '/api/intake');
    expect(signals.slice(0, 2).map((it: { masked: number }) => it.masked)).toEqual([3, 2]);
  });
});

describe('a rule of one’s own', () => {
  const rule = { kind: 'value', name: 'booking', on: true, pattern: 'OR-\\d{4}' };

  it('shows what it would do to what was kept last, without doing it', async () => {
    await sendSpans(dusk.url, [span({ ref: 'booking OR-4532' })]);
    expect(await preview(rule)).toMatchObject({
      status: 200,
      hits: 1,
      examples: [
        { signal: 'traces', rule: 'booking', key: 'ref', before: 'booking OR-4532', after: 'booking [masked: booking]' },
      ],
    });
    expect(await everything()).toContain('OR-4532');
  });

  it('is in force at once, for what comes from then on', async () => {
    const { rules } = await getJson(dusk.url, '/api/intake/masking');
    expect((await put({ rules: [...rules, rule] })).status).toBe(200);
    const sent = span({ ref: 'booking OR-7777' });
    await sendSpans(dusk.url, [sent]);
    expect((await getJson(dusk.url, `/api/traces/${sent.traceId}`)).spans[0].attributes.ref).toBe('booking [masked: booking]');
    expect((await getJson(dusk.url, '/api/intake/masking')).rules).toHaveLength(rules.length + 1);
  });

  it.each([
    ['a pattern that is none', { ...rule, pattern: '(' }],
    ['a kind that there is not', { ...rule, kind: 'other' }],
    ['no name', { ...rule, name: ' ' }],
  ])('with %s is refused in words', async (_, wrong) => {
    const answer = await put({ rules: [wrong] });
    expect([answer.status, typeof (await answer.json()).error]).toEqual([400, 'string']);
    expect((await preview(wrong)).status).toBe(400);
  });

  it('is not taken from a form of another page', async () => {
    expect((await put({ rules: [] }, 'text/plain')).status).toBe(400);
    expect((await getJson(dusk.url, '/api/intake/masking')).rules.length).toBeGreaterThan(5);
  });
});
