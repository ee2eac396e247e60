import type { SlownessOrigin } from './slowness.ts';

/** A machine on which several nodes got slower at once, and they only there. */
export interface SlowMachine {
  readonly name: string;
  /** Of all that was waited longer. */
  readonly share: number;
  /** Nodes of the map. */
  readonly nodes: readonly string[];
}

/** Nodes that got slower on one host each say nothing of themselves when all of those are one machine. */
const MACHINE_SHARE = 0.6;
/** A node with less of what is waited there is no second one: a single slow instance makes those who call it on the same machine a little slower, too. */
const SECOND = 0.1;
/** So many nodes with a little of it each are not there by chance, though one of them has nearly all. */
const MANY = 4;
const LITTLE = 0.01;

/**
 * The machine that slowness has in common: at least two nodes have nearly all of theirs there, a good part of it each, or some more
 * a little, and these are most of all.
 *
 * @param machineOf the machine that a host stands on; itself when it is none
 */
export function slowMachine(origins: readonly SlownessOrigin[], machineOf: (host: string) => string): SlowMachine | undefined {
  const machines = new Map<string, OnMachine>();
  for (const { node, share, only } of origins) {
    const host = only.find((it) => it.what === 'host')?.name;
    if (host === undefined) continue;
    const machine = machines.get(machineOf(host)) ?? { share: 0, nodes: [], shares: [] };
    machines.set(machineOf(host), machine);
    machine.share += share;
    machine.nodes.push(node);
    machine.shares.push(share);
  }
  const [most] = [...machines].filter(([, it]) => isShared(it)).sort(([, a], [, b]) => b.share - a.share);
  if (!most || most[1].share < MACHINE_SHARE) return undefined;
  return { name: most[0], share: Math.min(1, most[1].share), nodes: most[1].nodes };
}

interface OnMachine {
  share: number;
  readonly nodes: string[];
  /** Of each node. */
  readonly shares: number[];
}

function isShared({ share, shares }: OnMachine): boolean {
  const countOf = (least: number) => shares.filter((it) => it >= least * share).length;
  return countOf(SECOND) >= 2 || countOf(LITTLE) >= MANY;
}
