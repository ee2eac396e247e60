import { readTypedMoment } from '../../core/scope/typedMoment.ts';

const TIME = /^\d{1,2}:\d{2}(:\d{2})?$/;
/** Words of a day and a time: "27 nov 2026 14:02". */
const MOST_WORDS = 4;

/**
 * A note as it was typed: it may begin with a moment, "13:40 pool set back" or "yesterday 13:40 …"; else it stands at the one given.
 *
 * @param otherwise epoch milliseconds @param latest a time without a day is the latest that is not after this
 */
export function noteAsTyped(typed: string, otherwise: number, zone: string, latest: number): { at: number; text: string } {
  const words = typed.trim().split(/\s+/);
  const time = words.slice(0, MOST_WORDS).findIndex((word) => TIME.test(word));
  if (time >= 0 && words.length > time + 1) {
    const moment = readTypedMoment(
      words
        .slice(0, time + 1)
        .join(' ')
        .toLowerCase(),
      zone,
      latest,
    );
    if (moment) return { at: moment.at, text: words.slice(time + 1).join(' ') };
  }
  return { at: otherwise, text: words.join(' ') };
}
