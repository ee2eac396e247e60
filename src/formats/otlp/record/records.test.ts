import { describe, expect, it } from 'vitest';
import { event, logs, metricsOfEachKind, profiles } from '../../../../tests/support/made/otlpSignals.ts';
import { DEFAULT_RULES, masker } from '../../../core/masking/rules.ts';
import { readJsonRequest, signalOfJson } from '../json/fromJson.ts';
import { requestToJson } from '../json/toJson.ts';
import { maskRequest } from '../masking/maskRequest.ts';
import type { Signal } from '../wire/messages.ts';
import { recordsWithin } from '../wire/recordsWithin.ts';
import { MalformedRequest, Refusals } from '../wire/refusal.ts';
import { readRequest, writeRequest } from '../wire/request.ts';
import { readLog, readLogHead } from './logRecord.ts';
import { readMetric } from './metricRecord.ts';

const AT = 1_777_730_520_000;
const open = (json: unknown, signal: Signal) => readJsonRequest(JSON.stringify(json), signal, new Refusals());
const record = (json: unknown, signal: Signal) => open(json, signal).groups[0].records[0];

describe('JSON', () => {
  it.each<[Signal, unknown]>([
    [
      'logs',
      logs('holds', [{ atMs: AT, text: 'ahoy' }, event('lantern.change', AT, { a: [1, 'b', { c: true }], d: 0.5, e: 'é' })]),
    ],
    ['metrics', metricsOfEachKind('berths', AT)],
    ['profiles', profiles('layout', AT)],
  ])('of %s comes back the same by way of protobuf', (signal, json) => {
    expect(signalOfJson(JSON.stringify(json))).toBe(signal);
    expect(requestToJson(readRequest(writeRequest(open(json, signal))), signal)).toEqual(json);
  });

  it.each([
    { intValue: '9223372036854775807' },
    { intValue: '-9223372036854775808' },
    { doubleValue: 5 },
    { doubleValue: 'NaN' },
    { doubleValue: '-Infinity' },
    { doubleValue: 1e300 },
    { bytesValue: 'AAEC/w==' },
    { stringValue: '' },
    { boolValue: false },
    { arrayValue: {} },
    {},
  ])('keeps the value %j and its kind', (body) => {
    const json = logs('holds', [{ atMs: AT, body }]);
    expect(requestToJson(open(json, 'logs'), 'logs')).toEqual(json);
  });

  it('refuses records one by one, saying why', () => {
    const refusals = new Refusals();
    const json = metricsOfEachKind('berths', AT) as {
      resourceMetrics: { scopeMetrics: { metrics: Record<string, unknown>[] }[] }[];
    };
    const { metrics } = json.resourceMetrics[0].scopeMetrics[0];
    metrics.push({ name: 5 }, { name: 'x', gauge: { dataPoints: {} } }, { name: 'y', gauge: { dataPoints: [{ asInt: '1e5' }] } });
    expect(readJsonRequest(JSON.stringify(json), 'metrics', refusals).groups[0].records).toHaveLength(6);
    expect(refusals.toString()).toBe('1 × name is not a text; 1 × dataPoints is not a list; 1 × asInt is not an integer');
  });
});

describe('a log record', () => {
  const read = (line: object) => readLog(record(logs('holds', [{ atMs: AT, ...line }]), 'logs'));
  it('is read with its trace, severity and body', () => {
    expect(read({ text: 'ahoy', severity: 17, traceId: '0af7651916cd43dd8448eb211c80319c' })).toEqual({
      time: BigInt(AT) * 1_000_000n,
      severity: 17,
      eventName: '',
      traceId: '0af7651916cd43dd8448eb211c80319c',
      spanId: 'b7ad6b7169203331',
      severityText: 'INFO',
      body: 'ahoy',
      attributes: {},
    });
  });
  it('of no known severity has none', () => expect(read({ severity: 99 }).severity).toBe(0));
  it('whose trace is all zero names none', () => expect(read({ traceId: '0'.repeat(32) }).traceId).toBeNull());
  it('is of the time when it was seen, if that is all', () => {
    const seen = { resourceLogs: [{ scopeLogs: [{ logRecords: [{ observedTimeUnixNano: '5' }] }] }] };
    expect(readLogHead(record(seen, 'logs')).time).toBe(5n);
  });
  it('that breaks off is broken', () => {
    const whole = record(logs('holds', [{ atMs: AT, text: 'ahoy' }]), 'logs');
    expect(() => readLogHead(whole.subarray(0, whole.length - 2))).toThrow();
  });
});

describe('a metric', () => {
  const one = (metric: object) => readMetric(record({ resourceMetrics: [{ scopeMetrics: [{ metrics: [metric] }] }] }, 'metrics'));
  it('that says it has no value has none', () => {
    expect(one({ name: 'x', gauge: { dataPoints: [{ timeUnixNano: '5', asDouble: 7, flags: 1 }] } }).points[0].value).toBeNull();
  });
  it.each([
    ['a metric has no name', { gauge: {} }],
    ['a metric has no data of a kind that is known here', { name: 'x' }],
    ['the time of a data point is missing', { name: 'x', sum: { dataPoints: [{ asInt: '1' }] } }],
    [
      'the count of a data point is beyond 2^53',
      { name: 'x', histogram: { dataPoints: [{ timeUnixNano: '5', count: '18446744073709551615' }] } },
    ],
    ['time is beyond the year 2262', { name: 'x', sum: { dataPoints: [{ timeUnixNano: '18446744073709551615' }] } }],
  ])('is refused: %s', (reason, metric) => expect(() => one(metric)).toThrow(reason));
});

describe('records within a window', () => {
  const ns = (ms: number) => BigInt(ms) * 1_000_000n;
  it('are those whose time is in it, from inclusive, to exclusive', () => {
    const request = open(
      logs(
        'holds',
        [0, 1, 2, 3].map((ms) => ({ atMs: AT + ms, text: String(ms) })),
      ),
      'logs',
    );
    const within = recordsWithin(request, 'logs', ns(AT + 1), ns(AT + 3));
    expect(within.groups[0].records.map((it) => readLog(it).body)).toEqual(['1', '2']);
    expect(recordsWithin(request, 'logs', ns(AT + 9), ns(AT + 10)).groups).toEqual([]);
  });
  it('are metrics any of whose points is in it', () => {
    const dataPoints = [{ timeUnixNano: String(ns(AT)) }, { timeUnixNano: String(ns(AT + 60_000)) }];
    const request = open(
      { resourceMetrics: [{ scopeMetrics: [{ metrics: [{ name: 'x', gauge: { dataPoints } }] }] }] },
      'metrics',
    );
    expect(recordsWithin(request, 'metrics', ns(AT + 60_000), ns(AT + 60_001)).groups).toHaveLength(1);
    expect(recordsWithin(request, 'metrics', ns(AT + 1), ns(AT + 60_000)).groups).toHaveLength(0);
  });
});

describe('masking', () => {
  const rules = masker(DEFAULT_RULES);
  const masked = (json: unknown, signal: Signal, refusals = new Refusals()) =>
    JSON.stringify(
      requestToJson(
        maskRequest(open(json, signal), signal, rules, refusals, () => {}),
        signal,
      ),
    );

  it('gives back the very bytes of what has nothing to hide', () => {
    const request = open(logs('holds', [{ atMs: AT, text: 'a hold was placed' }]), 'logs');
    const result = maskRequest(request, 'logs', rules, new Refusals(), () => {});
    expect(result.groups[0].records[0]).toBe(request.groups[0].records[0]);
    expect(result.groups[0].resource).toBe(request.groups[0].resource);
  });

  it('reaches values within values, and resources', () => {
    const inner = event('x', AT, { list: ['a', { deep: 'to ines@osier-reach.example' }], map: { password: 'hunter2' } });
    const json = logs('mail@osier-reach.example', [inner]);
    const result = masked(json, 'logs');
    expect(result).toContain('to [masked: mail address]');
    for (const secret of ['ines@', 'hunter2', 'mail@']) expect(result).not.toContain(secret);
  });

  it('reaches the texts of profiles', () => {
    const json = profiles('layout', AT) as { dictionary: { stringTable: string[] } };
    json.dictionary.stringTable[3] = 'solve for ines@osier-reach.example';
    expect(masked(json, 'profiles')).toContain('solve for [masked: mail address]');
  });

  it('is not fooled by a secret that looks as if it were masked', () => {
    const json = logs('holds', [event('x', AT, { password: 'hunter2 [masked: secret]' })]);
    expect(masked(json, 'logs')).not.toContain('hunter2');
    expect(masked(json, 'logs')).toContain('[masked: secret]');
  });

  it('of what is masked already changes nothing and counts nothing', () => {
    const request = open(logs('holds', [event('x', AT, { password: 'hunter2', note: 'a@b.example' })]), 'logs');
    const once = maskRequest(request, 'logs', rules, new Refusals(), () => {});
    let again = 0;
    const twice = maskRequest(once, 'logs', rules, new Refusals(), () => again++);
    expect([again, writeRequest(twice)]).toEqual([0, writeRequest(once)]);
  });

  it('of a dictionary nested without end says that the request cannot be read', () => {
    let value = Buffer.from('mail@osier-reach.example');
    const head = (tag: number, length: number) => {
      const bytes = [tag];
      for (let rest = length; ; rest >>= 7) {
        if (rest < 128) return Buffer.from([...bytes, rest]);
        bytes.push((rest & 127) | 128);
      }
    };
    const wrap = (tag: number, inner: Buffer) => Buffer.concat([head(tag, inner.length), inner]);
    value = wrap(0x0a, value);
    // A value holds a list (5), a list holds values (1).
    for (let level = 0; level < 300; level++) value = wrap(0x2a, wrap(0x0a, value));
    const beside = wrap(0x12, wrap(0x32, wrap(0x12, value)));
    const request = { groups: [], beside };
    expect(() => maskRequest(request, 'profiles', rules, new Refusals(), () => {})).toThrow(MalformedRequest);
  });
});
