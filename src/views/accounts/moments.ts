import { dayTime } from '../../core/time/clock.ts';

/** A moment, or in words that there was none. @param iso as answers give it */
export function momentOr(iso: string | null, zone: string, now: number, none: string): string {
  return iso === null ? none : dayTime(Date.parse(iso), zone, now);
}
