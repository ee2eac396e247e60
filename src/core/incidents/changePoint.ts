/** Half of the chi-squared bound of 95 % with one degree of freedom: cuts less likely than the best by more than this are ruled out. */
const RULED_OUT = 1.92;

/** Where a change point lies, in minutes back from the latest, and how sure that is. */
export interface ChangePoint {
  readonly back: number;
  /** The cuts that are nearly as likely: the range that holds the true one 95 times of 100; `least` is the latest. */
  readonly least: number;
  readonly most: number;
  /** How much likelier the marks are with the change than without, as a logarithm; 0 when there is none. */
  readonly evidence: number;
}

/**
 * When a share of marked calls rose: of all ways to cut the last minutes in two, the one under which the marks are the likeliest, the
 * earlier part at its usual share, the later at whatever share it shows (a binomial likelihood with one change point).
 *
 * @param latestFirst calls and marked calls by the minute, the latest first
 * @param usual the share before the change
 * @returns how many minutes back the later part begins; 0 is the latest minute
 */
export function beginOfChange(
  latestFirst: readonly { readonly calls: number; readonly marked: number }[],
  usual: number,
): ChangePoint {
  let calls = 0;
  let marked = 0;
  let best = 0;
  let back = 0;
  const gains = latestFirst.map((minute, at) => {
    calls += minute.calls;
    marked += minute.marked;
    if (calls === 0 || minute.calls === 0) return Number.NEGATIVE_INFINITY;
    const share = marked / calls;
    // How much likelier the marks since then are at their own share than at the usual one.
    const gain = share <= usual ? 0 : logLikelihood(calls, marked, share) - logLikelihood(calls, marked, usual);
    if (gain > best) {
      best = gain;
      back = at;
    }
    return gain;
  });
  const likely = gains.flatMap((gain, at) => (best > 0 && gain >= best - RULED_OUT ? [at] : []));
  let most = likely[likely.length - 1] ?? back;
  // Minutes without calls say nothing: it may have begun in any of them.
  while (best > 0 && latestFirst[most + 1]?.calls === 0) most++;
  return { back, least: likely[0] ?? back, most, evidence: best };
}

/**
 * When a share of marked calls fell back: of all ways to cut the minutes of a shift in two, the one under which the marks are the likeliest,
 * the earlier part at whatever share it shows, the later one at the usual share.
 *
 * @param latestFirst calls and marked calls by the minute since the shift began, the latest first
 * @param usual the share before and after it
 * @returns how many of the latest minutes are usual again; 0 when it goes on
 */
export function endOfChange(
  latestFirst: readonly { readonly calls: number; readonly marked: number }[],
  usual: number,
): { back: number } {
  let calls = 0;
  let marked = 0;
  for (const minute of latestFirst) {
    calls += minute.calls;
    marked += minute.marked;
  }
  let best = 0;
  let back = 0;
  const whole = logLikelihood(calls, marked, marked / calls);
  let callsAfter = 0;
  let markedAfter = 0;
  for (const [at, minute] of latestFirst.entries()) {
    callsAfter += minute.calls;
    markedAfter += minute.marked;
    const [rest, restMarked] = [calls - callsAfter, marked - markedAfter];
    if (rest === 0 || restMarked / rest <= usual) break;
    const cut = logLikelihood(rest, restMarked, restMarked / rest) + logLikelihood(callsAfter, markedAfter, usual);
    if (cut - whole > best) {
      best = cut - whole;
      back = at + 1;
    }
  }
  return { back };
}

function logLikelihood(calls: number, marked: number, share: number): number {
  const unmarked = calls - marked;
  return (marked > 0 ? marked * Math.log(share) : 0) + (unmarked > 0 ? unmarked * Math.log(1 - share) : 0);
}
