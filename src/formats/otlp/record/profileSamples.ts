import type { Frame, StackSample } from '../../../core/profile/stackSample.ts';
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

/** The tables that profiles of a request point into, as OTLP/JSON writes them; absent where they are empty. */
interface Dictionary {
  readonly stringTable?: readonly string[];
  readonly functionTable?: readonly { readonly nameStrindex?: number; readonly filenameStrindex?: number }[];
  readonly locationTable?: readonly {
    readonly lines?: readonly { readonly functionIndex?: number; readonly line?: string }[];
  }[];
  readonly stackTable?: readonly { readonly locationIndices?: readonly number[] }[];
  readonly linkTable?: readonly { readonly traceId?: string; readonly spanId?: string }[];
}

interface Profile {
  readonly sampleType?: { readonly typeStrindex?: number; readonly unitStrindex?: number };
  readonly samples?: readonly {
    readonly stackIndex?: number;
    readonly linkIndex?: number;
    readonly values?: readonly (string | number)[];
    readonly timestampsUnixNano?: readonly string[];
  }[];
}

/**
 * The samples of a kept profiles request that were taken in one span, by profile; profiles without any are left out.
 *
 * @throws MalformedRequest when it cannot be read, which what is kept always can
 */
export function samplesInSpan(request: TelemetryRequest, span: { traceId: string; spanId: string }): SamplesOfProfile[] {
  const dictionary = messageToJson(dictionaryOf(request), PROFILES_DICTIONARY) as Dictionary;
  const link = dictionary.linkTable?.findIndex((it) => it.traceId === span.traceId && it.spanId === span.spanId) ?? -1;
  // Index 0 means no link.
  if (link <= 0) return [];
  const text = (at = 0) => dictionary.stringTable?.[at] ?? '';
  const framesOf = framesReader(dictionary, text);
  return request.groups.flatMap(({ records }) =>
    records.flatMap((record): SamplesOfProfile[] => {
      const { sampleType, samples = [] } = messageToJson(record, PROFILE) as Profile;
      const taken = samples
        .filter(({ linkIndex }) => linkIndex === link)
        .map(({ stackIndex = 0, values, timestampsUnixNano }) => ({
          frames: framesOf(stackIndex),
          // Where there are only the times of each, each counts one.
          value: values?.reduce<number>((sum, value) => sum + Number(value), 0) ?? timestampsUnixNano?.length ?? 0,
          span,
        }));
      return taken.length === 0
        ? []
        : [{ type: text(sampleType?.typeStrindex), unit: text(sampleType?.unitStrindex), samples: taken }];
    }),
  );
}

/** Frames of a stack by its place, the innermost first; a line that was inlined comes before the one it stands in. */
function framesReader({ stackTable, locationTable, functionTable }: Dictionary, text: (at?: number) => string) {
  return (stack: number): Frame[] =>
    (stackTable?.[stack]?.locationIndices ?? []).flatMap((at) =>
      (locationTable?.[at]?.lines ?? []).map(({ functionIndex = 0, line = '0' }) => {
        const of = functionTable?.[functionIndex];
        return { name: text(of?.nameStrindex), file: text(of?.filenameStrindex), line: Number(line) };
      }),
    );
}
