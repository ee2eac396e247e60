export const what = 'stop at the first clash';

export default function solve({ wanted, free }) {
  const ordered = [...wanted].sort((a, b) => b.to - b.from - (a.to - a.from));
  const placed = [];
  for (const w of ordered) placed.push(fits(w, ordered, free));
  return placed;
}

function fits(w, wanted, free) {
  for (let at = 0; at < free.length; at++) {
    if (free[at].lane !== w.lane) continue;
    if (!wanted.some((other) => overlaps(free[at], other) && other.height + w.height > free[at].height)) return at;
  }
  return -1;
}

function overlaps(a, b) {
  return a.lane === b.lane && a.from < b.to && b.from < a.to;
}
