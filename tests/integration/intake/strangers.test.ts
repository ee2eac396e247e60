import { readdirSync, readFileSync } from 'node:fs';
import { connect, type Socket } from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import { gzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Span, TraceId } from '../../../src/core/trace/span.ts';
import { type Installation, install, until } from '../../support/installation.ts';
import { makeSpan } from '../../support/made/traceMaker.ts';
import { getJson, sendSpans } from '../../support/sending.ts';

/*
 * What a stranger may try: each is answered in words, and whoever sends and looks meanwhile notices nothing.
 */

let dusk: Installation;
let sent = 0;
/** Of the requests that were acknowledged, the numbers. */
const kept: number[] = [];
beforeAll(async () => {
  dusk = await install();
});
afterAll(() => dusk?.stop());

const START = BigInt(Date.now() - 600_000) * 1_000_000n;
const traceIdOf = (number: number) => number.toString(16).padStart(32, 'a') as TraceId;

/** Sends a request of one span, and sees that it is there. */
async function sendGood(): Promise<void> {
  const span: Span = {
    ...makeSpan({ id: 0, from: 0, to: 5 }),
    traceId: traceIdOf(++sent),
    start: START,
    end: START + 5_000_000n,
  };
  await sendSpans(dusk.url, [span]);
  kept.push(sent);
  expect((await getJson(dusk.url, `/api/traces/${span.traceId}/timeline`)).spans.id).toHaveLength(1);
}

const pid = () => dusk.application.pid;
/** The children of the answering process whose command line has a name. */
function children(name: string): number[] {
  return readdirSync('/proc')
    .filter((it) => /^\d+$/.test(it))
    .map(Number)
    .filter((it) => {
      try {
        const parent = /^PPid:\s+(\d+)$/m.exec(readFileSync(`/proc/${it}/status`, 'utf8'))?.[1];
        return Number(parent) === pid() && readFileSync(`/proc/${it}/cmdline`, 'utf8').includes(name);
      } catch {
        return false;
      }
    });
}

const send = (path: string, body: BodyInit, headers: Record<string, string>) =>
  fetch(dusk.url + path, { method: 'POST', body, headers });
const JSON_TYPE = { 'content-type': 'application/json' };

describe('questions', () => {
  it.each([
    ['/api/now/cost?from=1970-01-01T00:00:00Z&to=2100-01-01T00:00:00Z&key=x', 'at most'],
    ['/api/traces?from=1970-01-01T00:00:00Z&to=2100-01-01T00:00:00Z', 'at most'],
    ['/api/ribbon?from=2026-01-02T00:00:00Z&to=2026-01-03T00:00:00Z&before=1970-01-01T00:00:00Z/2100-01-01T00:00:00Z', 'before:'],
    ['/api/operations/1/series?from=2026-01-01T00:00:00Z&to=2026-06-01T00:00:00Z&stepMinutes=1', 'take longer steps'],
    [`/api/traces?where=${encodeURIComponent('a exists;'.repeat(200))}`, 'at most'],
  ])('%s is refused with why', async (path, why) => {
    const answer = await fetch(dusk.url + path);
    expect([answer.status, (await answer.json()).error]).toEqual([400, expect.stringContaining(why)]);
    await sendGood();
  });

  it.each(['/_image?href=%2Ffavicon.svg&w=12000&h=12000&f=png', '/%5fimage?href=x', '/_server-islands/Any', '/_actions/any'])(
    '%s, which only the framework knows, is not there',
    async (path) => expect((await fetch(dusk.url + path)).status).toBe(404),
  );

  it('of a page of another site are turned away, whatever they are', async () => {
    // A fetch may not set these itself.
    const foreign = await askRaw(
      `GET /api/now HTTP/1.1\r\nhost: localhost\r\nsec-fetch-site: cross-site\r\nsec-fetch-mode: no-cors\r\n\r\n`,
    );
    expect(foreign).toMatch(/^HTTP\/1\.1 403 /);
    const opened = await askRaw(
      `GET /intake/connect HTTP/1.1\r\nhost: localhost\r\nsec-fetch-site: cross-site\r\nsec-fetch-mode: navigate\r\nsec-fetch-dest: document\r\n\r\n`,
    );
    expect(opened).toMatch(/^HTTP\/1\.1 200 /);
  });

  it('that nobody waits for any more are given up', async () => {
    await sendGood();
    const asks = Array.from({ length: 40 }, (_, at) => {
      const left = new AbortController();
      const done = fetch(`${dusk.url}/api/map/starts?from=2026-01-01T00:00:00Z&to=2026-12-${10 + (at % 15)}T00:00:00Z`, {
        signal: left.signal,
      }).catch(() => {});
      return { left, done };
    });
    await sleep(20);
    for (const { left, done } of asks) {
      left.abort();
      await done;
    }
    await until(
      () => getJson(dusk.url, '/api/health/ready'),
      ({ analysisWaiting }) => analysisWaiting === 0,
    );
    await sendGood();
  });
});

function askRaw(text: string): Promise<string> {
  return new Promise((resolve, reject) => {
    const socket = connect(Number(new URL(dusk.url).port), '127.0.0.1', () => socket.write(text));
    let read = '';
    socket.on('data', (part) => {
      read += part;
      if (read.includes('\r\n\r\n')) {
        resolve(read);
        socket.destroy();
      }
    });
    socket.on('error', reject);
  });
}

describe('bodies', () => {
  it.each([
    [
      'objects of nothing',
      gzipSync(`{"resourceSpans":[${'{},'.repeat(5_500_000)}{}]}`),
      { ...JSON_TYPE, 'content-encoding': 'gzip' },
    ],
    [
      'records of nothing',
      gzipSync(requestOf(Buffer.alloc(6_000_000, Uint8Array.of((2 << 3) | 2, 0)))),
      { 'content-type': 'application/x-protobuf', 'content-encoding': 'gzip' },
    ],
  ])('of %s are refused before they are read', async (_, body, headers) => {
    const before = children('intakeProcess');
    const answer = await send('/v1/traces', new Uint8Array(body), headers);
    expect([400, 413]).toContain(answer.status);
    expect(await answer.text()).toMatch(/send smaller batches/);
    expect(children('intakeProcess')).toEqual(before);
    await sendGood();
  });

  it('that are declared and do not come keep nobody out', async () => {
    const idle: Socket[] = [];
    for (let at = 0; at < 200; at++) {
      const socket = connect(Number(new URL(dusk.url).port), '127.0.0.1');
      socket.on('error', () => {});
      socket.write(
        'POST /v1/traces HTTP/1.1\r\nhost: localhost\r\ncontent-type: application/x-protobuf\r\ncontent-length: 8388608\r\n\r\n\n',
      );
      idle.push(socket);
    }
    try {
      await sleep(200);
      for (let good = 0; good < 5; good++) await sendGood();
    } finally {
      for (const socket of idle) socket.destroy();
    }
  });

  it('of questions are counted while they are read', async () => {
    const answer = await send('/api/rules', 'x'.repeat(5_000_000), JSON_TYPE).catch(() => undefined);
    // The connection may close before all of it was sent.
    if (answer) expect([400, 405]).toContain(answer.status);
    await sendGood();
  });
});

/** Bytes of records of one scope of one resource, as an export request. */
function requestOf(records: Buffer): Buffer {
  const within = (field: number, bytes: Buffer) => {
    const length: number[] = [];
    let rest = bytes.length;
    for (; rest > 127; rest = Math.floor(rest / 128)) length.push((rest % 128) | 128);
    return Buffer.concat([Uint8Array.of((field << 3) | 2, ...length, rest), bytes]);
  };
  return within(1, within(2, records));
}

describe('patterns', () => {
  const rule = (pattern: string) => ({ name: 'own', on: true, kind: 'value', pattern });
  const put = (rules: object[]) =>
    fetch(`${dusk.url}/api/intake/masking`, { method: 'PUT', headers: JSON_TYPE, body: JSON.stringify({ rules }) });

  it('that would take for ever elsewhere come to their end, tried and in force', async () => {
    const preview = await send('/api/intake/masking/preview', JSON.stringify({ rule: rule('(a+)+$') }), JSON_TYPE);
    expect(preview.status).toBe(200);
    expect((await put([rule('(a+)+$')])).status).toBe(200);
    const text = `${'a'.repeat(50_000)}!`;
    const span: Span = {
      ...makeSpan({ id: 0, from: 0, to: 5, attributes: { note: text, tail: 'caa' } }),
      traceId: traceIdOf(900_001),
      start: START,
      end: START + 5n,
    };
    await sendSpans(dusk.url, [span]);
    const { spans } = await getJson(dusk.url, `/api/traces/${span.traceId}`);
    expect([spans[0].attributes.note, spans[0].attributes.tail]).toEqual([text, 'c[masked: own]']);
    expect((await put([])).status).toBe(200);
  });

  it.each(['(?=a)b', '(a)\\1', '(a{30}){30}'])('%s is refused with why', async (pattern) => {
    const answer = await put([rule(pattern)]);
    expect([answer.status, (await answer.json()).error]).toEqual([400, expect.stringContaining('own')]);
  });
});

describe('names without end', () => {
  it('are counted as one beyond so many, and pages still answer', async () => {
    const spans = Array.from({ length: 3_000 }, (_, at): Span => {
      const span = makeSpan({ id: 0, from: 0, to: 5, kind: 'server', service: `shop-${at % 2}`, name: `GET /made-up/${at}` });
      return { ...span, traceId: traceIdOf(1_000_000 + at), start: START, end: START + 5_000_000n };
    });
    for (let from = 0; from < spans.length; from += 500) await sendSpans(dusk.url, spans.slice(from, from + 500));
    const at = (minutes: number) => new Date(Date.now() - minutes * 60_000).toISOString();
    const { operations } = await getJson(dusk.url, `/api/operations?from=${at(60)}&to=${at(0)}`);
    const ofOne = operations.filter(({ service }: { service: string }) => service === 'shop-0');
    expect(ofOne.length).toBeLessThanOrEqual(1_001);
    const calls = (list: { calls: number }[]) => list.reduce((sum, it) => sum + it.calls, 0);
    expect(calls(ofOne)).toBe(1_500);
    expect(calls(ofOne.filter(({ operation }: { operation: string }) => operation === 'other names'))).toBeGreaterThanOrEqual(
      499,
    );
    const now = await getJson(dusk.url, `/api/now?from=${at(60)}&to=${at(0)}&before=just`);
    expect(now.journeys).toHaveLength(200);
    expect(now.leftOut.journeys).toBeGreaterThan(1_000);
    for (const page of ['/now', '/now/services', '/map', '/map?level=operations', '/traces', '/traces?as=groups'])
      expect((await fetch(`${dusk.url}${page}`)).status).toBe(200);
    const { folded } = await getJson(dusk.url, '/api/intake');
    expect(folded).toEqual(['shop-0', 'shop-1'].map((service) => ({ service, kind: 'operations' })));
    // What it is called stands in the request all the same.
    const one = await getJson(dusk.url, `/api/traces/${traceIdOf(1_002_999)}`);
    expect(one.spans[0].operation).toBe('GET /made-up/2999');
  });
});

describe('a part that is killed', () => {
  it.each(['intakeProcess', 'analysisWorker'])('%s comes back by itself, and nothing is lost', async (name) => {
    await sendGood();
    const killed = children(name);
    expect(killed.length).toBeGreaterThan(0);
    for (const it of killed) process.kill(it, 'SIGKILL');
    await until(
      async () => {
        await sendGood();
        return children(name);
      },
      (now) => now.length > 0 && now.every((it) => !killed.includes(it)),
    );
    for (const number of kept.filter((_, at) => at % 5 === 0))
      expect((await getJson(dusk.url, `/api/traces/${traceIdOf(number)}/timeline`)).spans.id).toHaveLength(1);
  });

  it('is counted, in health and in the figures that can be scraped', async () => {
    const ready = await getJson(dusk.url, '/api/health/ready');
    expect(ready).toMatchObject({ status: 'ok', store: 'up', intake: 'up', analysis: 'up', restarts: { intake: 1 } });
    expect(await getJson(dusk.url, '/api/health/live')).toEqual({ status: 'ok' });
    const answer = await fetch(`${dusk.url}/api/metrics`);
    expect(answer.headers.get('content-type')).toContain('application/openmetrics-text');
    const text = await answer.text();
    expect(text).toContain('dusk_restarts_total{part="intake"} 1');
    expect(text).toMatch(/dusk_intake_refused_total\{status="4\d\d"\} \d+/);
    expect(text.endsWith('# EOF\n')).toBe(true);
  });
});

it('the process that answers has been the same all along', () => {
  expect(dusk.log()).not.toMatch(/out of memory/i);
  expect(process.kill(pid(), 0)).toBe(true);
});
