import { group } from 'd3-array';
import { addCalls, type CallSum, noCalls, sumIn, withoutCalls } from '../measures/callSum.ts';
import { quantiles } from '../measures/sketch.ts';
import { oneBlock } from './sumVerdicts.ts';
import { verdicts } from './verdict.ts';

/** What an instance of a service handled in the lit window. */
export interface InstanceCalls {
  readonly service: string;
  readonly instance: string;
  readonly version: string;
  readonly calls: CallSum;
}

/** An instance or a version that is worse than all others of its service at the same time. */
export interface StandOut {
  readonly service: string;
  readonly what: 'instance' | 'version';
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
 * Which instances and versions stand out among those of the same service, held against the others in the same window: this needs no time before.
 * All of them are one family. An instance whose version stands out is not named beside it.
 */
export function standOuts(instances: readonly InstanceCalls[]): StandOut[] {
  const members = [...group(instances, ({ service }) => service)].flatMap(([service, of]) => [
    ...membersOf(service, 'version', of, ({ version }) => version),
    ...membersOf(service, 'instance', of, ({ instance }) => instance),
  ]);
  const judged = verdicts(members.map(({ own, others }) => ({ lit: oneBlock([own]), before: oneBlock([others]) })));
  const found = members.flatMap((it, at): StandOut[] => {
    const { state, basis } = judged[at];
    if (basis !== 'before' || (state !== 'failing' && state !== 'strained')) return [];
    return [{ service: it.service, what: it.what, name: it.name, state, own: figuresOf(it.own), others: figuresOf(it.others) }];
  });
  const versionOf = new Map(instances.map(({ service, instance, version }) => [JSON.stringify([service, instance]), version]));
  const isNamed = (service: string, version: string | undefined) =>
    found.some((it) => it.service === service && it.what === 'version' && it.name === version);
  return found
    .filter(({ service, what, name }) => what === 'version' || !isNamed(service, versionOf.get(JSON.stringify([service, name]))))
    .sort((a, b) => Number(b.state === 'failing') - Number(a.state === 'failing') || b.own.calls - a.own.calls);
}

function membersOf(
  service: string,
  what: StandOut['what'],
  instances: readonly InstanceCalls[],
  nameOf: (it: InstanceCalls) => string,
): Member[] {
  const all = noCalls();
  const sums = new Map<string, CallSum>();
  for (const it of instances) {
    addCalls(sumIn(sums, nameOf(it)), it.calls);
    addCalls(all, it.calls);
  }
  if (sums.size < 2) return [];
  return [...sums].flatMap(([name, own]) => (name === '' ? [] : [{ service, what, name, own, others: withoutCalls(all, own) }]));
}

function figuresOf({ calls, failures, sketch }: CallSum): Figures {
  return { calls, failures, p95Ns: quantiles(sketch, [0.95])[0] ?? 0 };
}
