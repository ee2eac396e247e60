import { AS_THEY_ARE, EntryMeans } from './expected.ts';
import { interval, type Totals } from './explained.ts';
import { judge, type Kind } from './judge.ts';
import type { ContrastSource } from './requests/contrastSource.ts';
import type { Expected } from './requests/facetSums.ts';
import { type RequestSet, setKey } from './requests/requestSet.ts';
import { readTable } from './requests/requestTable.ts';

/** What one set explains of some requests, whatever else there is. */
export interface Evaluated {
  readonly key: string;
  readonly amount: number;
  readonly range: readonly [number, number];
  readonly behaviour: number;
  readonly mix: number;
  readonly totals: Totals;
}

/** What sets explain that were found among other requests, such as before or after others were peeled off. */
export async function evaluate(
  source: ContrastSource,
  kind: Kind,
  sets: readonly RequestSet[],
  expected: Expected = AS_THEY_ARE,
): Promise<Evaluated[]> {
  if (sets.length === 0) return [];
  const entries = new EntryMeans();
  await source.scan((block) => entries.add(block));
  const table = await readTable(source, entries.requests, sets, expected);
  const all = table.sumsOf([]);
  return sets.map((set, at) => {
    const { explained, split, totals } = judge(all, table.sumsOf([[at]]), kind);
    return {
      key: setKey(set),
      amount: explained.value,
      range: interval(explained),
      behaviour: split.behaviour,
      mix: split.mix,
      totals,
    };
  });
}
