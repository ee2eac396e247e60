/** Decks with 8 to 420 wanted slots, and the free stretches of their 14 lanes. The same in every run. */
const LANES = 14;

function deck(count, seed) {
  let state = seed;
  const next = (most) => {
    state = (Math.imul(state, 1103515245) + 12345) & 0x7fffffff;
    return state % most;
  };
  const slot = (length, height) => {
    const from = next(9000);
    return { lane: next(LANES), from, to: from + length, height };
  };
  return {
    wanted: Array.from({ length: count }, () => slot(120 + next(600), 150 + next(250))),
    free: Array.from({ length: LANES * 6 }, () => slot(200 + next(2200), 300 + next(260))),
  };
}

const SIZES = [8, 12, 20, 30, 45, 65, 90, 130, 180, 250, 330, 420];
export const inputs = SIZES.flatMap((count) => [1, 2, 3].map((seed) => deck(count, seed * 7919 + count)));
export const sizeOf = ({ wanted }) => wanted.length;
export const sizeName = 'deck slots';
