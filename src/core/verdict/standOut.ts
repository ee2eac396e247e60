import { group } from 'd3-array';
import { addCalls, type CallSum, noCalls, sumIn, withoutCalls } from '../measures/callSum.ts';
import { emptySketch, quantiles } from '../measures/sketch.ts';
import type { CallBlocks } from './callBlocks.ts';
import { oneBlock } from './sumVerdicts.ts';
import { verdicts } from './verdict.ts';

/** What an instance of a service handled in the lit window. */
export interface InstanceCalls {
  readonly service: string;
  readonly instance: string;
  readonly version: string;
  readonly calls: CallSum;
}

/** What came in for an operation of a service in the lit window. */
export interface OperationCalls {
  readonly service: string;
  readonly operation: string;
  readonly calls: CallSum;
  /** It had calls enough before to be held against itself: then it is only one of the others here. */
  readonly hasUsual: boolean;
}

/** An instance, a version or an operation that is worse than all others of its service at the same time. */
export interface StandOut {
  readonly service: string;
  readonly what: 'instance' | 'version' | 'operation';
  readonly name: string;
  readonly state: 'failing' | 'strained';
  readonly own: Figures;
  readonly others: Figures;
}

export interface Figures {
  readonly calls: number;
  readonly failures: number;
  /** Nanoseconds. */
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
 * no time before. All of them are one family. An instance whose version stands out is not named beside it. Operations do different things
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
    const { state, basis } = judged[at];
    if (basis !== 'before' || (state !== 'failing' && state !== 'strained')) return [];
    return [{ service: it.service, what: it.what, name: it.name, state, own: figuresOf(it.own), others: figuresOf(it.others) }];
  });
  const versionOf = new Map(instances.map(({ service, instance, version }) => [JSON.stringify([service, instance]), version]));
  const isNamed = (service: string, version: string | undefined) =>
    found.some((it) => it.service === service && it.what === 'version' && it.name === version);
  return found
    .filter(({ service, what, name }) => what !== 'instance' || !isNamed(service, versionOf.get(JSON.stringify([service, name]))))
    .sort((a, b) => Number(b.state === 'failing') - Number(a.state === 'failing') || b.own.calls - a.own.calls);
}

function membersOf<It extends { readonly calls: CallSum }>(
  service: string,
  what: StandOut['what'],
  parts: readonly It[],
  nameOf: (it: It) => string,
): Member[] {
  const all = noCalls();
  const sums = new Map<string, CallSum>();
  for (const it of parts) {
    addCalls(sumIn(sums, nameOf(it)), it.calls);
    addCalls(all, it.calls);
  }
  if (sums.size < 2) return [];
  return [...sums].flatMap(([name, own]) => (name === '' ? [] : [{ service, what, name, own, others: withoutCalls(all, own) }]));
}

/** Calls as if all had taken no time. */
function failuresOf(calls: CallSum): CallBlocks {
  return oneBlock([{ ...calls, sketch: emptySketch() }]);
}

function figuresOf({ calls, failures, sketch }: CallSum): Figures {
  return { calls, failures, p95Ns: quantiles(sketch, [0.95])[0] ?? 0 };
}
