export const what = 'as it was, 4.6.3';

export default function solve({ wanted, free }) {
  const ordered = [...wanted].sort((a, b) => b.to - b.from - (a.to - a.from));
  const byLane = new Map();
  for (const [at, slot] of free.entries()) byLane.set(slot.lane, [...(byLane.get(slot.lane) ?? []), at]);
  for (const lane of byLane.values()) lane.sort((a, b) => free[a].to - free[a].from - (free[b].to - free[b].from));
  return ordered.map((w) => byLane.get(w.lane)?.find((at) => free[at].to - free[at].from >= w.to - w.from) ?? -1);
}
