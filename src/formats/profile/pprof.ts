import { gunzipSync } from 'node:zlib';
import { type Location, type Function as PprofFunction, Profile } from 'pprof-format';
import type { Frame, StackSample } from '../../core/profile/stackSample.ts';
import { parseSpanId, parseTraceId } from '../../core/trace/span.ts';
import { UnreadableProfile } from './folded.ts';
import type { ProfileSource } from './tables.ts';

/** Unpacked files larger than this are not taken. */
const LARGEST = 256 * 2 ** 20;

/**
 * A pprof file, gzip or plain: a profile for each kind of value that its samples carry.
 *
 * @param fallback when it was taken, for a file that does not say; epoch nanoseconds
 * @throws UnreadableProfile when it is none
 */
export function readPprof(bytes: Uint8Array, fallback: bigint): ProfileSource[] {
  const profile = decode(bytes);
  const text = (index: number | bigint) => profile.stringTable.strings[Number(index)] ?? '';
  const functions = new Map<number, PprofFunction>(profile.function.map((it) => [Number(it.id), it]));
  const locations = new Map<number, Location>(profile.location.map((it) => [Number(it.id), it]));
  const framesAt = (id: number): Frame[] => {
    const location = locations.get(id);
    if (!location) throw new UnreadableProfile(`a sample names location ${id}, which is not in it`);
    // Of inlined calls the innermost comes first, as in the stack.
    const frames = location.line.map(({ functionId, line }) => {
      const it = functions.get(Number(functionId));
      return { name: it ? text(it.name) : '', file: it ? text(it.filename) : '', line: Number(line) };
    });
    return frames.length > 0 ? frames : [{ name: `0x${BigInt(location.address).toString(16)}`, file: '', line: 0 }];
  };
  const label = (sample: (typeof profile.sample)[number], key: string) => {
    const found = sample.label.find((it) => text(it.key) === key);
    return found ? text(found.str) : '';
  };
  const time = BigInt(profile.timeNanos) || fallback;
  if (profile.sampleType.length === 0) throw new UnreadableProfile('it does not say what its samples measure');
  return profile.sampleType.map(({ type, unit }, which): ProfileSource => {
    const samples = profile.sample.map((sample): StackSample => {
      const traceId = parseTraceId(label(sample, 'trace_id'));
      const spanId = parseSpanId(label(sample, 'span_id'));
      const frames = sample.locationId.flatMap((id) => framesAt(Number(id)));
      return { frames, value: Number(sample.value[which] ?? 0), ...(traceId && spanId ? { span: { traceId, spanId } } : {}) };
    });
    return {
      type: text(type),
      unit: text(unit),
      time,
      durationNs: BigInt(profile.durationNanos),
      samples: samples.filter(({ value }) => value !== 0),
      ...(which === 0 ? { original: { format: 'pprof', bytes } } : {}),
    };
  });
}

function decode(bytes: Uint8Array): Profile {
  try {
    const isPacked = bytes[0] === 0x1f && bytes[1] === 0x8b;
    return Profile.decode(isPacked ? gunzipSync(bytes, { maxOutputLength: LARGEST }) : bytes);
  } catch (error) {
    throw new UnreadableProfile(`it is no pprof file: ${(error as Error).message}`);
  }
}
