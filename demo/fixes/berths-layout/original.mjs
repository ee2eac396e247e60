export const what = 'as it is, 4.7.0';

export default function solve({ wanted, free }) {
  const ordered = [...wanted].sort((a, b) => b.to - b.from - (a.to - a.from));
  const placed = [];
  for (const w of ordered) placed.push(fits(w, ordered, free));
  return placed;
}

function fits(w, wanted, free) {
  for (let at = 0; at < free.length; at++) {
    if (free[at].lane !== w.lane) continue;
    let clear = true;
    for (const other of wanted) {
      if (overlaps(free[at], other) && other.height + w.height > free[at].height) clear = false;
    }
    if (clear) return at;
  }
  return -1;
}

function overlaps(a, b) {
  return a.lane === b.lane && a.from < b.to && b.from < a.to;
}
