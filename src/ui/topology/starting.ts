import type { Starts } from '../../api/map/starts.ts';

/** Places that start the slowness: each that has a fifth of it, or, when a machine is what they have in common, each that is on it. */
export function slownessStarts(starts: Starts | undefined): Starts['slowness']['origins'] {
  if (!starts) return [];
  const { origins, machine } = starts.slowness;
  return origins.filter((it) => it.starts || (machine?.nodes.includes(it.node) && it.share >= 0.03));
}

export function failureStarts(starts: Starts | undefined): Starts['failures']['origins'] {
  return starts?.failures.origins.filter((it) => it.starts) ?? [];
}
