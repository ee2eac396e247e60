import { formatIso } from '../../core/time/iso.ts';
import { storedTime } from '../../store/rollups/requestSeries.ts';

/** First and last start of all requests that are stored, ISO 8601; null when there is none or the database cannot be reached. */
export async function storedWindow(): Promise<{ from: string; to: string } | null> {
  const stored = await storedTime().catch(() => null);
  return stored && { from: formatIso(stored.from), to: formatIso(stored.to) };
}
