import type { Frame, StackSample } from '../../../core/profile/stackSample.ts';
import { OPERATION_ATTRIBUTE, THREAD_ATTRIBUTE } from '../attributes/sampleAttributes.ts';
import { messageToJson } from '../json/toJson.ts';
import { PROFILE, PROFILES_DICTIONARY } from '../wire/messages.ts';
import { dictionaryOf, type TelemetryRequest } from '../wire/request.ts';

/** A profile with the samples of it that were asked for. */
export interface SamplesOfProfile {
  /** What its values measure, and in which unit. */
  readonly type: string;
  readonly unit: string;
  readonly samples: readonly StackSample[];
}

/** A profile as it came. */
export interface WholeProfile extends SamplesOfProfile {
  /** What one sample stands for, in the unit; 0 when not said. */
  readonly period: number;
  /** Epoch nanoseconds. */
  readonly timeNs: bigint;
  readonly durationNs: bigint;
}

/** The tables that profiles of a request point into, as OTLP/JSON writes them; absent where they are empty. */
interface Dictionary {
  readonly stringTable?: readonly string[];
  readonly functionTable?: readonly { readonly nameStrindex?: number; readonly filenameStrindex?: number }[];
  readonly locationTable?: readonly {
    readonly lines?: readonly { readonly functionIndex?: number; readonly line?: string }[];
  }[];
  readonly stackTable?: readonly { readonly locationIndices?: readonly number[] }[];
  readonly linkTable?: readonly { readonly traceId?: string; readonly spanId?: string }[];
  readonly attributeTable?: readonly { readonly keyStrindex?: number; readonly value?: { readonly stringValue?: string } }[];
}

interface Profile {
  readonly sampleType?: { readonly typeStrindex?: number; readonly unitStrindex?: number };
  readonly samples?: readonly Sample[];
  readonly period?: string | number;
  readonly timeUnixNano?: string;
  readonly durationNano?: string;
}

interface Sample {
  readonly stackIndex?: number;
  readonly linkIndex?: number;
  readonly attributeIndices?: readonly number[];
  readonly values?: readonly (string | number)[];
  readonly timestampsUnixNano?: readonly string[];
}

/**
 * The samples of a stored profiles request that were taken in one span, by profile; profiles without any are left out.
 *
 * @throws MalformedRequest when it cannot be read, which what is stored always can
 */
export function samplesInSpan(request: TelemetryRequest, span: { traceId: string; spanId: string }): SamplesOfProfile[] {
  return samplesLinked(request, (it) => it.traceId === span.traceId && it.spanId === span.spanId);
}

/** The same for all spans of a trace; each sample says of which. */
export function samplesInTrace(request: TelemetryRequest, traceId: string): SamplesOfProfile[] {
  return samplesLinked(request, (it) => it.traceId === traceId);
}

function samplesLinked(request: TelemetryRequest, isWanted: (link: Tables['links'][number]) => boolean): SamplesOfProfile[] {
  const tables = readTables(request);
  // Index 0 means no link.
  const links = new Set(tables.links.flatMap((it, at) => (at > 0 && isWanted(it) ? [at] : [])));
  if (links.size === 0) return [];
  return profilesWith(request, tables, ({ linkIndex }) => links.has(linkIndex ?? 0)).flatMap(({ profiles }) =>
    profiles.filter(({ samples }) => samples.length > 0).map(({ type, unit, samples }) => ({ type, unit, samples })),
  );
}

/** All profiles of a stored profiles request, by the resource that they are of. */
export function profilesIn(request: TelemetryRequest): { resource: Uint8Array; profiles: WholeProfile[] }[] {
  return profilesWith(request, readTables(request), () => true);
}

/** The tables of a request, opened. */
interface Tables {
  readonly links: readonly { readonly traceId?: string; readonly spanId?: string }[];
  readonly text: (at?: number) => string;
  readonly framesOf: (stack: number) => Frame[];
  readonly attribute: (sample: Sample, key: string) => string | undefined;
}

function readTables(request: TelemetryRequest): Tables {
  const dictionary = messageToJson(dictionaryOf(request), PROFILES_DICTIONARY) as Dictionary;
  const text = (at = 0) => dictionary.stringTable?.[at] ?? '';
  const attributes = (dictionary.attributeTable ?? []).map(({ keyStrindex, value }) => ({
    key: text(keyStrindex),
    value: value?.stringValue,
  }));
  return {
    links: dictionary.linkTable ?? [],
    text,
    framesOf: framesReader(dictionary, text),
    attribute: ({ attributeIndices = [] }, key) => {
      const at = attributeIndices.find((index) => attributes[index]?.key === key);
      return at === undefined ? undefined : attributes[at].value;
    },
  };
}

function profilesWith(
  request: TelemetryRequest,
  { links, text, framesOf, attribute }: Tables,
  isWanted: (sample: Sample) => boolean,
): { resource: Uint8Array; profiles: WholeProfile[] }[] {
  const sampleOf = (sample: Sample): StackSample => {
    const { stackIndex = 0, linkIndex = 0, values, timestampsUnixNano } = sample;
    const link = linkIndex > 0 ? links[linkIndex] : undefined;
    const operation = attribute(sample, OPERATION_ATTRIBUTE);
    const thread = attribute(sample, THREAD_ATTRIBUTE);
    return {
      frames: framesOf(stackIndex),
      // Where there are only the times of each, each counts one.
      value: values?.reduce<number>((sum, value) => sum + Number(value), 0) ?? timestampsUnixNano?.length ?? 0,
      ...(link?.traceId && link.spanId ? { span: { traceId: link.traceId, spanId: link.spanId } } : {}),
      ...(operation ? { operation } : {}),
      ...(thread ? { thread } : {}),
    };
  };
  return request.groups.map(({ resource, records }) => ({
    resource,
    profiles: records.map((record): WholeProfile => {
      const {
        sampleType,
        samples = [],
        period = 0,
        timeUnixNano = '0',
        durationNano = '0',
      } = messageToJson(record, PROFILE) as Profile;
      return {
        type: text(sampleType?.typeStrindex),
        unit: text(sampleType?.unitStrindex),
        period: Number(period),
        timeNs: BigInt(timeUnixNano),
        durationNs: BigInt(durationNano),
        samples: samples.filter(isWanted).map(sampleOf),
      };
    }),
  }));
}

/** Frames of a stack by its index, the innermost first; a line that was inlined comes before the one it stands in. */
function framesReader({ stackTable, locationTable, functionTable }: Dictionary, text: (at?: number) => string) {
  const known = new Map<number, Frame[]>();
  const read = (stack: number): Frame[] =>
    (stackTable?.[stack]?.locationIndices ?? []).flatMap((at) =>
      (locationTable?.[at]?.lines ?? []).map(({ functionIndex = 0, line = '0' }) => {
        const of = functionTable?.[functionIndex];
        return { name: text(of?.nameStrindex), file: text(of?.filenameStrindex), line: Number(line) };
      }),
    );
  return (stack: number): Frame[] => {
    let frames = known.get(stack);
    if (!frames) {
      frames = read(stack);
      known.set(stack, frames);
    }
    return frames;
  };
}
