const MINUTE = 60_000;
/** A window as short as this stays as it is drawn: the requests of it are counted one by one. */
const SHORTEST = 5 * MINUTE;

interface Stretch {
  /** Epoch milliseconds; `to` is exclusive. */
  readonly from: number;
  readonly to: number;
}

/**
 * A window of whole minutes, those in which it begins and ends among them: what is added up by the minute and what is counted one by one is
 * the same then, so that every page says the same number. One of less than five minutes stays as it is.
 */
export function wholeMinutes({ from, to }: Stretch): Stretch {
  if (to - from < SHORTEST) return { from, to };
  return { from: Math.floor(from / MINUTE) * MINUTE, to: Math.ceil(to / MINUTE) * MINUTE };
}

/** A window as it is drawn by hand, of the whole minutes that are nearest: drawn again it does not grow. A short one stays as it is. */
export function nearestMinutes({ from, to }: Stretch): Stretch {
  if (to - from < SHORTEST) return { from, to };
  return { from: Math.round(from / MINUTE) * MINUTE, to: Math.round(to / MINUTE) * MINUTE };
}

/** The whole minutes that lie within a stretch; the stretch itself where it is that short. */
export function minutesWithin({ from, to }: Stretch): Stretch {
  if (to - from < SHORTEST) return { from, to };
  return { from: Math.ceil(from / MINUTE) * MINUTE, to: Math.floor(to / MINUTE) * MINUTE };
}

/** Whether what is added up by the minute says what there is in a window: it is of whole minutes, or long enough for the two at its ends to make little of it. */
export function isOfMinutes({ from, to }: Stretch): boolean {
  return to - from >= SHORTEST || (from % MINUTE === 0 && to % MINUTE === 0);
}
