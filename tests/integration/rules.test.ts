import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Rule } from '../../src/core/incidents/rules.ts';
import { parseTraceId, type Span } from '../../src/core/trace/span.ts';
import { watchSources } from '../../src/server/watch/sources.ts';
import { watchOnce } from '../../src/server/watch/watch.ts';
import { closeConnections } from '../../src/store/database/connection.ts';
import { type Installation, install } from '../support/installation.ts';
import { EPOCH, makeSpan } from '../support/made/traceMaker.ts';
import { getJson, sendJson, sendSpans } from '../support/sending.ts';

/* Rules of traffic over two days of even requests, of which the last quarter of an hour stays away altogether. */

let dusk: Installation;
const MINUTE_NS = 60_000_000_000n;
const FIRST = Number(EPOCH / MINUTE_NS) + 1;
const LAST = FIRST + 2_000;
/** From here on nothing comes. */
const SILENT_FROM = LAST - 15;
const PER_MINUTE = 3;

const RULE: Rule = {
  id: 'fewer',
  name: 'Too few holds',
  journey: 'POST /holds',
  measure: 'drop',
  bound: 0.5,
  minutes: 10,
  on: true,
  takes: 'nothing',
};

function request(minute: number, at: number): Span {
  const start = BigInt(minute) * MINUTE_NS + BigInt(at) * (MINUTE_NS / BigInt(PER_MINUTE));
  const span = makeSpan({ id: 1, from: 0, to: 0, name: 'POST /holds', kind: 'server' });
  const traceId = parseTraceId((minute * PER_MINUTE + at).toString(16).padStart(32, '1'))!;
  return { ...span, traceId, start, end: start + 20_000_000n };
}

const put = async (rules: readonly Rule[]) => {
  const answer = await fetch(`${dusk.url}/api/rules`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ rules }),
  });
  expect(answer.status).toBe(200);
};
const tried = async (rule: Partial<Rule>) => {
  const { journey, measure, bound, minutes } = { ...RULE, ...rule };
  return (await sendJson(dusk.url, '/api/rules/trial', { journey, measure, bound, minutes })) as unknown as {
    firings: { from: number; to: number }[];
    words: string;
  };
};
const incidentsOfRules = async () => {
  const iso = (minute: number) => new Date(minute * 60_000).toISOString();
  const { incidents } = await getJson(dusk.url, `/api/incidents?from=${iso(FIRST)}&to=${iso(LAST + 10)}`);
  return incidents.filter(({ source }: { source: string }) => source === 'rule');
};

beforeAll(async () => {
  dusk = await install();
  const minutes = Array.from({ length: SILENT_FROM - FIRST }, (_, at) => FIRST + at);
  for (let at = 0; at < minutes.length; at += 250)
    await sendSpans(
      dusk.url,
      minutes.slice(at, at + 250).flatMap((minute) => Array.from({ length: PER_MINUTE }, (_, of) => request(minute, of))),
    );
}, 900_000);
afterAll(async () => {
  await closeConnections();
  await dusk?.stop();
});

describe('a rule of traffic', () => {
  it('would not have fired while as much came as the day before', async () => {
    const { firings, words } = await tried({});
    expect(words).toBe('');
    // The trial ends with what is stored: the silence is not in it.
    expect(firings).toEqual([]);
    expect((await tried({ measure: 'rise', bound: 0.5 })).firings).toEqual([]);
  });

  it('says when what is usual is not known', async () => {
    // Three requests in one minute are too few to tell what is usual.
    expect((await tried({ minutes: 1 })).words).toContain('not known yet');
  });

  it('fires when nothing comes any more, also when there is nothing new to read, once, and says so in words', async () => {
    await put([RULE]);
    const read = watchSources();
    // Everything is read while requests still come; in the rounds after that nothing is new.
    await watchOnce(dusk.url, SILENT_FROM - 1, read);
    expect(await incidentsOfRules()).toEqual([]);
    for (let minute = SILENT_FROM; minute <= LAST; minute++) await watchOnce(dusk.url, minute, read);
    const incidents = await incidentsOfRules();
    expect(incidents).toHaveLength(1);
    const [{ from, title }] = incidents;
    expect(title).toContain('Too few holds');
    // Of thirty requests in ten minutes eight have to be left for it to be no chance.
    const found = new Date(from).getTime() / 60_000;
    expect(found).toBeGreaterThanOrEqual(SILENT_FROM + 6);
    expect(found).toBeLessThanOrEqual(SILENT_FROM + 8);
    const { sent } = await getJson(dusk.url, '/api/inbox');
    const told = sent.filter(
      (it: { channel: string; subject: string }) => it.channel === 'mail' && it.subject.startsWith('Too few holds'),
    );
    expect(told).toHaveLength(1);
    expect(told[0].body).toContain('POST /holds: 50 % fewer requests than usual at this hour');
  });
});
