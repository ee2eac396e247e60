/*
 * The messages of OTLP as opentelemetry-proto 1.9 numbers them (traces, logs and metrics stable, profiles v1development): the one
 * place that knows fields, for reading, writing, JSON and masking alike.
 */

import { BYTES, FIXED32, FIXED64, VARINT } from './wire.ts';

/** How a field lies on the wire and what it is in JSON. `id` is bytes that JSON writes as hex. */
export type Scalar =
  | 'string'
  | 'bytes'
  | 'id'
  | 'bool'
  | 'int32'
  | 'uint32'
  | 'sint32'
  | 'int64'
  | 'uint64'
  | 'fixed32'
  | 'fixed64'
  | 'sfixed64'
  | 'double';

export interface Field {
  readonly number: number;
  /** The lowerCamelCase name of JSON. */
  readonly name: string;
  readonly type: Scalar | MessageType;
  readonly repeated: boolean;
}

export interface MessageType {
  readonly name: string;
  readonly fields: readonly Field[];
  readonly byNumber: ReadonlyMap<number, Field>;
}

/** The message that a field of another holds. */
export function typeWithin(outer: MessageType, field: number): MessageType {
  const { type } = outer.byNumber.get(field)!;
  if (typeof type === 'string') throw new Error(`field ${field} of ${outer.name} is no message`);
  return type;
}

/** The wire type of a single value of this kind. */
export function wireOf(type: Field['type']): number {
  if (typeof type !== 'string' || type === 'string' || type === 'bytes' || type === 'id') return BYTES;
  if (type === 'fixed64' || type === 'sfixed64' || type === 'double') return FIXED64;
  return type === 'fixed32' ? FIXED32 : VARINT;
}

/** Whether repeated values of this kind may stand in one field, one after the other. */
export function isPackable(field: Field): boolean {
  return field.repeated && wireOf(field.type) !== BYTES;
}

type Kind = Scalar | MessageType;
/** A field by its number and type; a list of one type is a repeated field. */
type Sketch = { readonly [name: string]: readonly [number: number, type: Kind | readonly [Kind]] };

function message(name: string, sketch: () => Sketch): MessageType {
  let fields: Field[] | undefined;
  let byNumber: Map<number, Field> | undefined;
  // Messages name each other in circles: fields are made when first asked for.
  const made = () => {
    fields ??= Object.entries(sketch()).map(([field, [number, type]]) => ({
      name: field,
      number,
      type: Array.isArray(type) ? (type as readonly [Kind])[0] : (type as Kind),
      repeated: Array.isArray(type),
    }));
    return fields;
  };
  return {
    name,
    get fields() {
      return made();
    },
    get byNumber() {
      byNumber ??= new Map(made().map((field) => [field.number, field]));
      return byNumber;
    },
  };
}

export const ANY_VALUE: MessageType = message('AnyValue', () => ({
  stringValue: [1, 'string'],
  boolValue: [2, 'bool'],
  intValue: [3, 'int64'],
  doubleValue: [4, 'double'],
  arrayValue: [5, ARRAY_VALUE],
  kvlistValue: [6, KEY_VALUE_LIST],
  bytesValue: [7, 'bytes'],
  stringValueStrindex: [8, 'int32'],
}));
const ARRAY_VALUE = message('ArrayValue', () => ({ values: [1, [ANY_VALUE]] }));
const KEY_VALUE_LIST = message('KeyValueList', () => ({ values: [1, [KEY_VALUE]] }));
export const KEY_VALUE = message('KeyValue', () => ({ key: [1, 'string'], value: [2, ANY_VALUE], keyStrindex: [3, 'int32'] }));
const ENTITY_REF = message('EntityRef', () => ({
  schemaUrl: [1, 'string'],
  type: [2, 'string'],
  idKeys: [3, ['string']],
  descriptionKeys: [4, ['string']],
}));
export const RESOURCE = message('Resource', () => ({
  attributes: [1, [KEY_VALUE]],
  droppedAttributesCount: [2, 'uint32'],
  entityRefs: [3, [ENTITY_REF]],
}));
export const SCOPE = message('InstrumentationScope', () => ({
  name: [1, 'string'],
  version: [2, 'string'],
  attributes: [3, [KEY_VALUE]],
  droppedAttributesCount: [4, 'uint32'],
}));

export const SPAN = message('Span', () => ({
  traceId: [1, 'id'],
  spanId: [2, 'id'],
  traceState: [3, 'string'],
  parentSpanId: [4, 'id'],
  name: [5, 'string'],
  kind: [6, 'int32'],
  startTimeUnixNano: [7, 'fixed64'],
  endTimeUnixNano: [8, 'fixed64'],
  attributes: [9, [KEY_VALUE]],
  droppedAttributesCount: [10, 'uint32'],
  events: [11, [SPAN_EVENT]],
  droppedEventsCount: [12, 'uint32'],
  links: [13, [SPAN_LINK]],
  droppedLinksCount: [14, 'uint32'],
  status: [15, STATUS],
  flags: [16, 'fixed32'],
}));
const SPAN_EVENT = message('Event', () => ({
  timeUnixNano: [1, 'fixed64'],
  name: [2, 'string'],
  attributes: [3, [KEY_VALUE]],
  droppedAttributesCount: [4, 'uint32'],
}));
const SPAN_LINK = message('Link', () => ({
  traceId: [1, 'id'],
  spanId: [2, 'id'],
  traceState: [3, 'string'],
  attributes: [4, [KEY_VALUE]],
  droppedAttributesCount: [5, 'uint32'],
  flags: [6, 'fixed32'],
}));
const STATUS = message('Status', () => ({ message: [2, 'string'], code: [3, 'int32'] }));

export const LOG_RECORD = message('LogRecord', () => ({
  timeUnixNano: [1, 'fixed64'],
  severityNumber: [2, 'int32'],
  severityText: [3, 'string'],
  body: [5, ANY_VALUE],
  attributes: [6, [KEY_VALUE]],
  droppedAttributesCount: [7, 'uint32'],
  flags: [8, 'fixed32'],
  traceId: [9, 'id'],
  spanId: [10, 'id'],
  observedTimeUnixNano: [11, 'fixed64'],
  eventName: [12, 'string'],
}));

const EXEMPLAR = message('Exemplar', () => ({
  timeUnixNano: [2, 'fixed64'],
  asDouble: [3, 'double'],
  spanId: [4, 'id'],
  traceId: [5, 'id'],
  asInt: [6, 'sfixed64'],
  filteredAttributes: [7, [KEY_VALUE]],
}));
export const NUMBER_POINT = message('NumberDataPoint', () => ({
  startTimeUnixNano: [2, 'fixed64'],
  timeUnixNano: [3, 'fixed64'],
  asDouble: [4, 'double'],
  exemplars: [5, [EXEMPLAR]],
  asInt: [6, 'sfixed64'],
  attributes: [7, [KEY_VALUE]],
  flags: [8, 'uint32'],
}));
export const HISTOGRAM_POINT = message('HistogramDataPoint', () => ({
  startTimeUnixNano: [2, 'fixed64'],
  timeUnixNano: [3, 'fixed64'],
  count: [4, 'fixed64'],
  sum: [5, 'double'],
  bucketCounts: [6, ['fixed64']],
  explicitBounds: [7, ['double']],
  exemplars: [8, [EXEMPLAR]],
  attributes: [9, [KEY_VALUE]],
  flags: [10, 'uint32'],
  min: [11, 'double'],
  max: [12, 'double'],
}));
const BUCKETS = message('Buckets', () => ({ offset: [1, 'sint32'], bucketCounts: [2, ['uint64']] }));
export const EXPONENTIAL_POINT = message('ExponentialHistogramDataPoint', () => ({
  attributes: [1, [KEY_VALUE]],
  startTimeUnixNano: [2, 'fixed64'],
  timeUnixNano: [3, 'fixed64'],
  count: [4, 'fixed64'],
  sum: [5, 'double'],
  scale: [6, 'sint32'],
  zeroCount: [7, 'fixed64'],
  positive: [8, BUCKETS],
  negative: [9, BUCKETS],
  flags: [10, 'uint32'],
  exemplars: [11, [EXEMPLAR]],
  min: [12, 'double'],
  max: [13, 'double'],
  zeroThreshold: [14, 'double'],
}));
export const SUMMARY_POINT = message('SummaryDataPoint', () => ({
  startTimeUnixNano: [2, 'fixed64'],
  timeUnixNano: [3, 'fixed64'],
  count: [4, 'fixed64'],
  sum: [5, 'double'],
  quantileValues: [6, [message('ValueAtQuantile', () => ({ quantile: [1, 'double'], value: [2, 'double'] }))]],
  attributes: [7, [KEY_VALUE]],
  flags: [8, 'uint32'],
}));
const totals = (name: string, point: MessageType) =>
  message(name, () => ({ dataPoints: [1, [point]], aggregationTemporality: [2, 'int32'], isMonotonic: [3, 'bool'] }));
export const METRIC = message('Metric', () => ({
  name: [1, 'string'],
  description: [2, 'string'],
  unit: [3, 'string'],
  gauge: [5, message('Gauge', () => ({ dataPoints: [1, [NUMBER_POINT]] }))],
  sum: [7, totals('Sum', NUMBER_POINT)],
  histogram: [9, totals('Histogram', HISTOGRAM_POINT)],
  exponentialHistogram: [10, totals('ExponentialHistogram', EXPONENTIAL_POINT)],
  summary: [11, message('Summary', () => ({ dataPoints: [1, [SUMMARY_POINT]] }))],
  metadata: [12, [KEY_VALUE]],
}));

const VALUE_TYPE = message('ValueType', () => ({ typeStrindex: [1, 'int32'], unitStrindex: [2, 'int32'] }));
const SAMPLE = message('Sample', () => ({
  stackIndex: [1, 'int32'],
  values: [2, ['int64']],
  attributeIndices: [3, ['int32']],
  linkIndex: [4, 'int32'],
  timestampsUnixNano: [5, ['fixed64']],
}));
export const PROFILE = message('Profile', () => ({
  sampleType: [1, VALUE_TYPE],
  samples: [2, [SAMPLE]],
  timeUnixNano: [3, 'fixed64'],
  durationNano: [4, 'uint64'],
  periodType: [5, VALUE_TYPE],
  period: [6, 'int64'],
  // Sixteen bytes; JSON writes it as bytes, unlike the ids of traces and spans.
  profileId: [7, 'bytes'],
  droppedAttributesCount: [8, 'uint32'],
  originalPayloadFormat: [9, 'string'],
  originalPayload: [10, 'bytes'],
  attributeIndices: [11, ['int32']],
}));
export const PROFILES_DICTIONARY = message('ProfilesDictionary', () => ({
  mappingTable: [
    1,
    [
      message('Mapping', () => ({
        memoryStart: [1, 'uint64'],
        memoryLimit: [2, 'uint64'],
        fileOffset: [3, 'uint64'],
        filenameStrindex: [4, 'int32'],
        attributeIndices: [5, ['int32']],
      })),
    ],
  ],
  locationTable: [
    2,
    [
      message('Location', () => ({
        mappingIndex: [1, 'int32'],
        address: [2, 'uint64'],
        lines: [3, [message('Line', () => ({ functionIndex: [1, 'int32'], line: [2, 'int64'], column: [3, 'int64'] }))]],
        attributeIndices: [4, ['int32']],
      })),
    ],
  ],
  functionTable: [
    3,
    [
      message('Function', () => ({
        nameStrindex: [1, 'int32'],
        systemNameStrindex: [2, 'int32'],
        filenameStrindex: [3, 'int32'],
        startLine: [4, 'int64'],
      })),
    ],
  ],
  linkTable: [4, [message('Link', () => ({ traceId: [1, 'id'], spanId: [2, 'id'] }))]],
  stringTable: [5, ['string']],
  attributeTable: [
    6,
    [
      message('KeyValueAndUnit', () => ({
        keyStrindex: [1, 'int32'],
        value: [2, ANY_VALUE],
        unitStrindex: [3, 'int32'],
      })),
    ],
  ],
  stackTable: [7, [message('Stack', () => ({ locationIndices: [1, ['int32']] }))]],
}));

export const SIGNALS = ['traces', 'logs', 'metrics', 'profiles'] as const;
export type Signal = (typeof SIGNALS)[number];

/** How an export request of a signal names its parts; the numbers of resource, scope and records are the same for all four. */
export interface RequestShape {
  readonly record: MessageType;
  /** JSON names of the lists of resources, scopes and records. */
  readonly resources: string;
  readonly scopes: string;
  readonly records: string;
  /** One record in words. */
  readonly recordName: string;
}

export const REQUESTS: Readonly<Record<Signal, RequestShape>> = {
  traces: { record: SPAN, resources: 'resourceSpans', scopes: 'scopeSpans', records: 'spans', recordName: 'span' },
  logs: { record: LOG_RECORD, resources: 'resourceLogs', scopes: 'scopeLogs', records: 'logRecords', recordName: 'log record' },
  metrics: { record: METRIC, resources: 'resourceMetrics', scopes: 'scopeMetrics', records: 'metrics', recordName: 'metric' },
  profiles: {
    record: PROFILE,
    resources: 'resourceProfiles',
    scopes: 'scopeProfiles',
    records: 'profiles',
    recordName: 'profile',
  },
};
