import { windowsOf } from '../comparison.ts';
import { type ContrastQuestion, comparisonOf } from './question.ts';

/** What was found is good for so long; spans of a window that has just ended may still come. */
const KEPT_MS = 600_000;
const FRESH_MS = 20_000;
const STILL_COMING_MS = 300_000;

/** What tells questions about a contrast apart, and for how long their answers are good. */
export async function rememberContrast(question: ContrastQuestion): Promise<{ key: string; ms: number }> {
  const windows = await windowsOf(comparisonOf(question));
  const isOver = Number(windows.lit.to / 1_000_000n) < Date.now() - STILL_COMING_MS;
  // The moments that the windows mean stand for the words that were asked with.
  const key = JSON.stringify({ ...question, from: 0, to: 0, before: windows }, (_, value) =>
    typeof value === 'bigint' ? String(value) : value,
  );
  return { key, ms: isOver ? KEPT_MS : FRESH_MS };
}
