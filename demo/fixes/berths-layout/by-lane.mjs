export const what = 'a list of wanted slots for each lane';

export default function solve({ wanted, free }) {
  const ordered = [...wanted].sort((a, b) => b.to - b.from - (a.to - a.from));
  const byLane = new Map();
  for (const slot of ordered) byLane.set(slot.lane, [...(byLane.get(slot.lane) ?? []), slot]);
  return ordered.map((w) => fits(w, byLane.get(w.lane) ?? [], free));
}

function fits(w, wanted, free) {
  for (let at = 0; at < free.length; at++) {
    if (free[at].lane !== w.lane) continue;
    if (
      !wanted.some((other) => free[at].from < other.to && other.from < free[at].to && other.height + w.height > free[at].height)
    )
      return at;
  }
  return -1;
}
