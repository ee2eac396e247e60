import type { Frame, StackSample } from '../../core/profile/stackSample.ts';
import { OPERATION_ATTRIBUTE, THREAD_ATTRIBUTE } from '../otlp/attributes/sampleAttributes.ts';

export interface ProfileSource {
  /** What its values measure, and in which unit. */
  readonly type: string;
  readonly unit: string;
  /** Epoch nanoseconds. */
  readonly time: bigint;
  readonly durationNs: bigint;
  /** What one sample stands for, in the unit; absent where it is not known. */
  readonly period?: number;
  readonly samples: readonly StackSample[];
  /** The file it came from, word for word, so that it can be given back. */
  readonly original?: { readonly format: string; readonly bytes: Uint8Array };
}

type Json = Record<string, unknown>;

/** Things that come again, each with its place in a list. Index 0 means "none", as OTLP wants it. */
class Interned<T> {
  readonly list: T[];
  readonly #indices = new Map<string, number>();

  constructor(none: T) {
    this.list = [none];
  }

  index(key: string, make: () => T): number {
    let index = this.#indices.get(key);
    if (index === undefined) {
      index = this.list.push(make()) - 1;
      this.#indices.set(key, index);
    }
    return index;
  }
}

/** Whose profiles are. */
export interface ProfilesOf {
  /** Attributes of the resource. */
  readonly resource: Readonly<Record<string, string>>;
  readonly profiles: readonly ProfileSource[];
}

/** Profiles as an OTLP/JSON profiles export request. */
export function toOtlpProfiles(groups: readonly ProfilesOf[]): Json {
  const strings = new Interned('');
  const functions = new Interned<Json>({});
  const locations = new Interned<Json>({});
  const stacks = new Interned<Json>({});
  const links = new Interned<Json>({});
  const attributes = new Interned<Json>({});
  const text = (it: string) => (it === '' ? 0 : strings.index(it, () => it));
  const functionOf = ({ name, file }: Frame) =>
    functions.index(`${name}\0${file}`, () => ({ nameStrindex: text(name), filenameStrindex: text(file) }));
  const locationOf = (frame: Frame) =>
    locations.index(`${frame.name}\0${frame.file}\0${frame.line}`, () => ({
      lines: [{ functionIndex: functionOf(frame), line: String(frame.line) }],
    }));
  const stackOf = (frames: readonly Frame[]) => {
    const locationIndices = frames.map(locationOf);
    return stacks.index(locationIndices.join(' '), () => ({ locationIndices }));
  };
  const linkOf = ({ traceId, spanId }: NonNullable<StackSample['span']>) =>
    links.index(`${traceId} ${spanId}`, () => ({ traceId, spanId }));
  const attributeOf = (key: string, value: string) =>
    attributes.index(`${key}\0${value}`, () => ({ keyStrindex: text(key), value: { stringValue: value } }));
  const attributesOf = ({ operation, thread }: StackSample) => [
    ...(operation ? [attributeOf(OPERATION_ATTRIBUTE, operation)] : []),
    ...(thread ? [attributeOf(THREAD_ATTRIBUTE, thread)] : []),
  ];
  const asJson = ({ type, unit, time, durationNs, period, samples, original }: ProfileSource): Json => ({
    sampleType: { typeStrindex: text(type), unitStrindex: text(unit) },
    samples: samples.map((sample) => {
      const { frames, value, span } = sample;
      const attributeIndices = attributesOf(sample);
      return {
        stackIndex: stackOf(frames),
        values: [String(value)],
        ...(attributeIndices.length > 0 ? { attributeIndices } : {}),
        ...(span ? { linkIndex: linkOf(span) } : {}),
      };
    }),
    ...(period ? { periodType: { typeStrindex: text(type), unitStrindex: text(unit) }, period: String(period) } : {}),
    timeUnixNano: String(time),
    durationNano: String(durationNs),
    ...(original
      ? { originalPayloadFormat: original.format, originalPayload: Buffer.from(original.bytes).toString('base64') }
      : {}),
  });
  const resourceProfiles = groups.map(({ resource, profiles }) => ({
    resource: { attributes: Object.entries(resource).map(([key, text]) => ({ key, value: { stringValue: text } })) },
    scopeProfiles: [{ scope: {}, profiles: profiles.map(asJson) }],
  }));
  return {
    resourceProfiles,
    dictionary: {
      mappingTable: [{}],
      locationTable: locations.list,
      functionTable: functions.list,
      linkTable: links.list,
      stringTable: strings.list,
      attributeTable: attributes.list,
      stackTable: stacks.list,
    },
  };
}
