/* Export requests of logs, metrics and profiles as OTLP/JSON, written by hand after the standard: nothing is shared with the application. */

type Json = Record<string, unknown>;

const nanos = (ms: number) => `${Math.round(ms)}000000`;
const attributes = (of: Record<string, string | number>) =>
  Object.entries(of).map(([key, value]) => ({
    key,
    value: typeof value === 'number' ? { intValue: String(value) } : { stringValue: value },
  }));
const resource = (service: string) => ({ attributes: attributes({ 'service.name': service, 'service.version': '1.4.0' }) });

export interface LogLine {
  readonly atMs: number;
  readonly text?: string;
  readonly body?: Json;
  readonly severity?: number;
  readonly traceId?: string;
  readonly event?: string;
  readonly attributes?: Json[];
}

export function logs(service: string, lines: readonly LogLine[]): Json {
  const logRecords = lines.map(({ atMs, text, body, severity, traceId, event, attributes: own }) => ({
    timeUnixNano: nanos(atMs),
    severityNumber: severity ?? 9,
    severityText: 'INFO',
    body: body ?? { stringValue: text ?? '' },
    ...(own ? { attributes: own } : {}),
    ...(traceId ? { traceId, spanId: 'b7ad6b7169203331', flags: 1 } : {}),
    ...(event ? { eventName: event } : {}),
  }));
  return { resourceLogs: [{ resource: resource(service), scopeLogs: [{ scope: { name: 'test', version: '1' }, logRecords }] }] };
}

/** An event, its attributes as they are called. Lists are of texts, maps of texts. */
export function event(name: string, atMs: number, of: Record<string, unknown>): LogLine {
  const value = (it: unknown): Json => {
    if (Array.isArray(it)) return { arrayValue: { values: it.map(value) } };
    if (typeof it === 'object' && it !== null)
      return { kvlistValue: { values: Object.entries(it).map(([key, inner]) => ({ key, value: value(inner) })) } };
    if (typeof it === 'boolean') return { boolValue: it };
    if (typeof it === 'number') return Number.isInteger(it) ? { intValue: String(it) } : { doubleValue: it };
    return { stringValue: String(it) };
  };
  return { atMs, event: name, attributes: Object.entries(of).map(([key, it]) => ({ key, value: value(it) })) };
}

export interface Measured {
  readonly name: string;
  /** A gauge, or what was counted since the point before (delta). */
  readonly kind: 'gauge' | 'count';
  readonly atMs: number;
  readonly value: number;
  readonly of: Record<string, string>;
}

/** Values that somebody measures. @param about the resource's attributes */
export function measures(about: Record<string, string>, points: readonly Measured[]): Json {
  const metrics = points.map(({ name, kind, atMs, value, of }) => {
    const dataPoints = [
      { startTimeUnixNano: nanos(atMs - 60_000), timeUnixNano: nanos(atMs), asDouble: value, attributes: attributes(of) },
    ];
    return {
      name,
      unit: '1',
      ...(kind === 'gauge' ? { gauge: { dataPoints } } : { sum: { dataPoints, aggregationTemporality: 1, isMonotonic: true } }),
    };
  });
  return {
    resourceMetrics: [{ resource: { attributes: attributes(about) }, scopeMetrics: [{ scope: { name: 'test' }, metrics }] }],
  };
}

/** One metric of each kind that there is, at one time. */
export function metricsOfEachKind(service: string, atMs: number): Json {
  const at = { startTimeUnixNano: nanos(atMs - 60_000), timeUnixNano: nanos(atMs) };
  const exemplar = {
    timeUnixNano: nanos(atMs),
    asDouble: 0.25,
    spanId: 'b7ad6b7169203331',
    traceId: '0af7651916cd43dd8448eb211c80319c',
  };
  const metrics = [
    {
      name: 'pool.in_use',
      unit: '1',
      gauge: { dataPoints: [{ ...at, asInt: '17', attributes: attributes({ pool: 'berths' }) }] },
    },
    {
      name: 'process.cpu.time',
      unit: 's',
      sum: { aggregationTemporality: 2, isMonotonic: true, dataPoints: [{ ...at, asDouble: 12.5, exemplars: [exemplar] }] },
    },
    {
      name: 'holds.made',
      unit: '1',
      sum: { aggregationTemporality: 1, isMonotonic: true, dataPoints: [{ ...at, asInt: '-3' }] },
    },
    {
      name: 'http.server.request.duration',
      unit: 's',
      histogram: {
        aggregationTemporality: 1,
        dataPoints: [
          {
            ...at,
            count: '6',
            sum: 1.5,
            bucketCounts: ['1', '2', '3'],
            explicitBounds: [0.1, 0.5],
            min: 0.01,
            max: 0.9,
            attributes: attributes({ route: '/holds' }),
          },
        ],
      },
    },
    {
      name: 'db.client.operation.duration',
      unit: 's',
      exponentialHistogram: {
        aggregationTemporality: 2,
        dataPoints: [
          {
            ...at,
            count: '5',
            sum: 2.5,
            scale: 4,
            zeroCount: '1',
            positive: { offset: -3, bucketCounts: ['2', '0', '2'] },
            zeroThreshold: 0.001,
          },
        ],
      },
    },
    {
      name: 'gc.pause',
      unit: 'ms',
      summary: {
        dataPoints: [
          {
            ...at,
            count: '9',
            sum: 90,
            quantileValues: [
              { quantile: 0.5, value: 8 },
              { quantile: 0.99, value: 30.5 },
            ],
          },
        ],
      },
    },
  ];
  return { resourceMetrics: [{ resource: resource(service), scopeMetrics: [{ scope: { name: 'test' }, metrics }] }] };
}

export function profiles(service: string, atMs: number): Json {
  return {
    resourceProfiles: [
      {
        resource: resource(service),
        scopeProfiles: [
          {
            scope: { name: 'test' },
            profiles: [
              {
                sampleType: { typeStrindex: 1, unitStrindex: 2 },
                samples: [
                  { stackIndex: 1, values: ['7'], linkIndex: 1 },
                  { stackIndex: 2, values: ['3'] },
                ],
                timeUnixNano: nanos(atMs),
                durationNano: '10000000000',
                profileId: 'AQIDBAUGBwgJCgsMDQ4PEA==',
              },
            ],
          },
        ],
      },
    ],
    dictionary: {
      stringTable: ['', 'cpu', 'nanoseconds', 'solve', 'main', 'layout.ts'],
      functionTable: [{}, { nameStrindex: 3, filenameStrindex: 5 }, { nameStrindex: 4 }],
      locationTable: [{}, { lines: [{ functionIndex: 1, line: '12' }] }, { lines: [{ functionIndex: 2, line: '1' }] }],
      stackTable: [{}, { locationIndices: [1, 2] }, { locationIndices: [2] }],
      linkTable: [{}, { traceId: '0af7651916cd43dd8448eb211c80319c', spanId: 'b7ad6b7169203331' }],
    },
  };
}

/** A second of a database server as its sampler saw it. */
export function second(atMs: number, server: string, sessions: readonly Json[], of: Json = {}): LogLine {
  return event('lantern.db.second', atMs, {
    'db.system.name': 'postgresql',
    'server.address': server,
    'lantern.db.sessions': sessions,
    ...of,
  });
}
