export const what = 'highest neighbour of each free stretch, once';

/** What clashes with a free stretch is decided by the highest slot over it: found once, not for each wanted slot. */
export default function solve({ wanted, free }) {
  const ordered = [...wanted].sort((a, b) => b.to - b.from - (a.to - a.from));
  const byLane = new Map();
  for (const slot of ordered) {
    const lane = byLane.get(slot.lane);
    if (lane) lane.push(slot);
    else byLane.set(slot.lane, [slot]);
  }
  const stretches = new Map();
  for (const [at, stretch] of free.entries()) {
    let highest = Number.NEGATIVE_INFINITY;
    for (const other of byLane.get(stretch.lane) ?? [])
      if (stretch.from < other.to && other.from < stretch.to && other.height > highest) highest = other.height;
    const found = { at, room: stretch.height - highest };
    const lane = stretches.get(stretch.lane);
    if (lane) lane.push(found);
    else stretches.set(stretch.lane, [found]);
  }
  return ordered.map((w) => stretches.get(w.lane)?.find(({ room }) => w.height <= room)?.at ?? -1);
}
