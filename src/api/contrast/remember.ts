import { windowsOf } from '../comparison.ts';
import { rememberWindows } from '../rememberWindows.ts';
import { type ContrastQuestion, comparisonOf } from './question.ts';

/** What tells questions about a contrast apart, and for how long their answers are good. */
export async function rememberContrast(question: ContrastQuestion): Promise<{ key: string; ms: number }> {
  const windows = await windowsOf(comparisonOf(question));
  return rememberWindows(windows, { ...question, from: 0, to: 0, before: 0 });
}
