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

/**
 * The machine that slowness has in common: at least two nodes have nearly all of theirs there, and these are most of it.
 *
 * @param machineOf the machine that a host stands on; itself when it is none
 */
export function slowMachine(origins: readonly SlownessOrigin[], machineOf: (host: string) => string): SlowMachine | undefined {
  const machines = new Map<string, { share: number; nodes: string[] }>();
  for (const { node, share, only } of origins) {
    const host = only.find((it) => it.what === 'host')?.name;
    if (host === undefined) continue;
    const machine = machines.get(machineOf(host)) ?? { share: 0, nodes: [] };
    machines.set(machineOf(host), machine);
    machine.share += share;
    machine.nodes.push(node);
  }
  const [most] = [...machines].filter(([, { nodes }]) => nodes.length >= 2).sort(([, a], [, b]) => b.share - a.share);
  if (!most || most[1].share < MACHINE_SHARE) return undefined;
  return { name: most[0], share: Math.min(1, most[1].share), nodes: most[1].nodes };
}
