import { group } from 'd3-array';
import { addCalls, type CallSum, noCalls, sumIn, withoutCalls } from '../measures/callSum.ts';
import { emptySketch, quantiles } from '../measures/sketch.ts';
import type { CallBlocks } from './callBlocks.ts';
import { oneBlock } from './sumVerdicts.ts';
import { type Measure, verdicts } from './verdict.ts';

/** Calls of stretches of time, by the minute at which each begins, since 1970-01-01. */
export type CallsOverTime = ReadonlyMap<number, CallSum>;

/** What an instance of a service handled in the lit window. */
export interface InstanceCalls {
  readonly service: string;
  readonly instance: string;
  readonly version: string;
  readonly calls: CallsOverTime;
}

/** What came in for an operation of a service in the lit window. */
export interface OperationCalls {
  readonly service: string;
  readonly operation: string;
  /** Of the window as a whole, or of stretches of it. */
  readonly calls: CallsOverTime;
  /** It had calls enough before to be held against itself: then it is only one of the others here. */
  readonly hasUsual: boolean;
}

/** An instance, a version or an operation that is worse than all others of its service at the same time. */
export interface StandOut {
  readonly service: string;
  readonly what: 'instance' | 'version' | 'operation';
  readonly name: string;
  readonly state: 'failing' | 'strained';
  /** What is worse than that of the others. */
  readonly changed: Measure;
  readonly own: Figures;
  readonly others: Figures;
}

export interface Figures {
  readonly calls: number;
  readonly failures: number;
  /** Nanoseconds. */
  readonly p50Ns: number;
  readonly p95Ns: number;
}

interface Member {
  readonly service: string;
  readonly what: StandOut['what'];
  readonly name: string;
  readonly own: CallSum;
  readonly others: CallSum;
}

/**
 * Which instances, versions and operations stand out among those of the same service, held against the others in the same window: this needs
 * no time before, and is of the stretches in which there were calls of both, since a version that came late knows nothing of what went on until then. All of them are one family. An instance whose version stands out is not named beside it. Operations do different things
 * and take as long as these take: they are held against each other by their failures alone.
 */
export function standOuts(instances: readonly InstanceCalls[], operations: readonly OperationCalls[] = []): StandOut[] {
  const members = [
    ...[...group(instances, ({ service }) => service)].flatMap(([service, of]) => [
      ...membersOf(service, 'version', of, ({ version }) => version),
      ...membersOf(service, 'instance', of, ({ instance }) => instance),
    ]),
    ...[...group(operations, ({ service }) => service)].flatMap(([service, of]) =>
      membersOf(service, 'operation', of, ({ operation }) => operation).filter(
        ({ name }) => !of.some((it) => it.operation === name && it.hasUsual),
      ),
    ),
  ];
  const judged = verdicts(
    members.map(({ what, own, others }) =>
      what === 'operation'
        ? { lit: failuresOf(own), before: failuresOf(others) }
        : { lit: oneBlock([own]), before: oneBlock([others]) },
    ),
  );
  const found = members.flatMap((it, at): StandOut[] => {
    const { state, basis, changed } = judged[at];
    if (basis !== 'before' || !changed || (state !== 'failing' && state !== 'strained')) return [];
    const { service, what, name } = it;
    return [{ service, what, name, state, changed, own: figuresOf(it.own), others: figuresOf(it.others) }];
  });
  const versionOf = new Map(instances.map(({ service, instance, version }) => [JSON.stringify([service, instance]), version]));
  const isNamed = (service: string, version: string | undefined) =>
    found.some((it) => it.service === service && it.what === 'version' && it.name === version);
  return found
    .filter(({ service, what, name }) => what !== 'instance' || !isNamed(service, versionOf.get(JSON.stringify([service, name]))))
    .sort((a, b) => Number(b.state === 'failing') - Number(a.state === 'failing') || b.own.calls - a.own.calls);
}

function membersOf<It extends { readonly calls: CallsOverTime }>(
  service: string,
  what: StandOut['what'],
  parts: readonly It[],
  nameOf: (it: It) => string,
): Member[] {
  const all = new Map<number, CallSum>();
  const whole = noCalls();
  const byName = new Map<string, Map<number, CallSum>>();
  for (const it of parts) {
    const own = byName.get(nameOf(it)) ?? new Map<number, CallSum>();
    byName.set(nameOf(it), own);
    for (const [at, calls] of it.calls) {
      addCalls(sumIn(own, at), calls);
      addCalls(sumIn(all, at), calls);
      addCalls(whole, calls);
    }
  }
  return [...byName].flatMap(([name, of]) => {
    if (name === '') return [];
    const both = [...of].filter(([at, calls]) => all.get(at)!.calls > calls.calls);
    if (both.length === 0) return [];
    const own = noCalls();
    for (const [, calls] of both) addCalls(own, calls);
    // Where there were calls of both all the time, as is the rule, all of them need not be added up again.
    let rest = whole;
    if (both.length < all.size) {
      rest = noCalls();
      for (const [at] of both) addCalls(rest, all.get(at)!);
    }
    return [{ service, what, name, own, others: withoutCalls(rest, own) }];
  });
}

/** Calls as if all had taken no time. */
function failuresOf(calls: CallSum): CallBlocks {
  return oneBlock([{ ...calls, sketch: emptySketch() }]);
}

function figuresOf({ calls, failures, sketch }: CallSum): Figures {
  const [p50Ns, p95Ns] = quantiles(sketch, [0.5, 0.95]).map((it) => it ?? 0);
  return { calls, failures, p50Ns, p95Ns };
}
