import { Line, Location, Function as PprofFunction, Profile, Sample, StringTable, ValueType } from 'pprof-format';
import type { Frame, StackSample } from '../../core/profile/stackSample.ts';

/** What is written of a profile. */
export interface WrittenProfile {
  readonly type: string;
  readonly unit: string;
  /** What one sample stands for, in the unit; 0 when not known. */
  readonly period: number;
  /** Epoch nanoseconds. */
  readonly timeNs: bigint;
  readonly durationNs: bigint;
  readonly samples: readonly StackSample[];
}

/** A pprof file, plain: https://github.com/google/pprof/blob/main/proto/profile.proto */
export function writePprof({ type, unit, period, timeNs, durationNs, samples }: WrittenProfile): Uint8Array {
  const strings = new StringTable();
  const functions = new Map<string, PprofFunction>();
  const locations = new Map<string, Location>();
  const functionOf = ({ name, file }: Frame) => {
    const key = `${name}\0${file}`;
    let found = functions.get(key);
    if (!found) {
      found = new PprofFunction({
        id: functions.size + 1,
        name: strings.dedup(name),
        systemName: strings.dedup(name),
        filename: strings.dedup(file),
      });
      functions.set(key, found);
    }
    return found;
  };
  const locationOf = (frame: Frame) => {
    const key = `${frame.name}\0${frame.file}\0${frame.line}`;
    let found = locations.get(key);
    if (!found) {
      found = new Location({
        id: locations.size + 1,
        line: [new Line({ functionId: functionOf(frame).id, line: frame.line })],
      });
      locations.set(key, found);
    }
    return found.id;
  };
  const written = samples.map(
    ({ frames, value }) => new Sample({ locationId: frames.map(locationOf), value: [Math.round(value)] }),
  );
  const measured = new ValueType({ type: strings.dedup(type), unit: strings.dedup(unit) });
  return new Profile({
    sampleType: [measured],
    sample: written,
    location: [...locations.values()],
    function: [...functions.values()],
    stringTable: strings,
    timeNanos: timeNs,
    durationNanos: durationNs,
    periodType: measured,
    period: Math.round(period),
  }).encode();
}

/** Folded stacks: a line a stack, the outermost frame first, with its value. */
export function writeFolded({ samples }: Pick<WrittenProfile, 'samples'>): string {
  const frame = ({ name, file, line }: Frame) => {
    const place = file === '' ? name : `${name} ${file.replaceAll(' ', '%20')}${line > 0 ? `:${line}` : ''}`;
    return place.replaceAll(';', ',').replaceAll('\n', ' ');
  };
  return samples.map(({ frames, value }) => `${[...frames].reverse().map(frame).join(';')} ${Math.round(value)}\n`).join('');
}

/** A `.cpuprofile` as V8 reads it. Only its sums are told: samples stand one after the other, stack by stack. */
export function writeCpuProfile({ samples, timeNs, period }: WrittenProfile): string {
  interface Node {
    readonly id: number;
    readonly callFrame: { functionName: string; scriptId: string; url: string; lineNumber: number; columnNumber: number };
    readonly children: number[];
  }
  const nodes: Node[] = [];
  const byKey = new Map<string, Node>();
  const nodeOf = (key: string, functionName: string, url: string, line: number, parent?: Node): Node => {
    let node = byKey.get(key);
    if (!node) {
      node = {
        id: nodes.length + 1,
        callFrame: { functionName, scriptId: '0', url, lineNumber: Math.max(0, line - 1), columnNumber: 0 },
        children: [],
      };
      nodes.push(node);
      byKey.set(key, node);
      parent?.children.push(node.id);
    }
    return node;
  };
  const root = nodeOf('', '(root)', '', 0);
  const [ids, deltas]: [number[], number[]] = [[], [0]];
  let micros = 0;
  for (const { frames, value } of samples) {
    let node = root;
    let key = '';
    for (const { name, file, line } of [...frames].reverse()) {
      key += `\n${name}\0${file}\0${line}`;
      node = nodeOf(key, name, file, line, node);
    }
    // One entry a sample where it is known what one stands for; else one a stack.
    const count = period > 0 ? Math.min(10_000, Math.max(1, Math.round(value / period))) : 1;
    for (let at = 0; at < count; at++) {
      ids.push(node.id);
      deltas.push(value / 1000 / count);
    }
    micros += value / 1000;
  }
  // The time up to the next sample was spent where one stands: the last needs an end.
  ids.push(root.id);
  const startTime = Number(timeNs / 1000n);
  return JSON.stringify({ nodes, startTime, endTime: startTime + Math.round(micros), samples: ids, timeDeltas: deltas });
}
